<!-- What differs between two offices: for frames, for findings, and as lines. -->
<script lang="ts">
  import type { Comparison } from "../api/client";
  import { folded, told } from "./fold";

  const { found }: { found: Comparison } = $props();
  const ports = $derived(folded(found.ports));
</script>

{#if !found.lines.length}
  <p>They are the same.</p>
{:else}
  <div class="gap-7 grid grid-cols-[repeat(auto-fit,minmax(min(380px,100%),1fr))]">
    <section>
      <h2 class="mt-2 mb-1 font-bold">What it means</h2>
      {#each ports.slice(0, 40) as p (p.ports[0])}
        <p data-changed={p.ports.join(" ")}>
          <b>{told(p.ports)}</b>
          {#if p.gains.length || p.each}gains {[p.each ? "each other" : "", told(p.gains)].filter(Boolean).join("; ")}{/if}{(p.gains
            .length ||
            p.each) &&
          p.loses.length
            ? "; "
            : ""}{#if p.loses.length}<span class="loses">loses {told(p.loses)}</span>{/if}{#if p.otherwise.length}{p.gains.length +
            p.loses.length
              ? "; "
              : ""}still reaches {told(p.otherwise)}, but tagged otherwise{/if}
        </p>
      {:else}
        <p>Frames go the same ways.</p>
      {/each}
      {#if ports.length > 40}<p>and {ports.length - 40} more</p>{/if}
      <h2 class="mt-2 mb-1 font-bold">Findings</h2>
      {#each found.come as f (f.id)}<p class={f.severity}>comes: {f.text}</p>{/each}
      {#each found.go as f (f.id)}<p class="text-soft">goes: {f.text}</p>{/each}
      {#if !found.come.length && !found.go.length}<p>The same.</p>{/if}
    </section>
    <section>
      <h2 class="mt-2 mb-1 font-bold">Lines</h2>
      <pre class="mono p-2 border border-hair overflow-auto text-[12px] bg-panel">{#each found.lines as l, i (i)}{#if l.startsWith("@ ")}<b
              class="block text-ink">{l.slice(2)}</b
            >{:else}<span class:plus={l.startsWith("+")} class:minus={l.startsWith("-")}
              >{l}
</span>{/if}{/each}</pre>
    </section>
  </div>
{/if}

<style>
  .loses,
  .breaks {
    color: var(--red);
  }
  .risk {
    color: var(--amber);
  }
  .plus {
    font-weight: 700;
  }
  .minus {
    color: var(--red);
    text-decoration: line-through;
    text-decoration-color: var(--faint);
  }
</style>
