<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { count } from "../shell/plural";
  import { runs } from "./quote";
  import { pending } from "../state/pending.svelte";

  let { docked = false }: { docked?: boolean } = $props();

  const p = $derived(pending.preview);
  const by = $derived.by(() => {
    const out = new Map<string, string[]>();
    for (const r of p?.changed ?? []) {
      const dot = r.indexOf(".");
      out.set(r.slice(0, dot), [...(out.get(r.slice(0, dot)) ?? []), r.slice(dot + 1)]);
    }
    return [...out];
  });
  const home = () => (document.getElementById("board") ?? document.getElementById("talk"))?.focus();
  const few = (xs: string[]) => {
    const all = runs(xs);
    return all.length > 9 ? `${all.slice(0, 8).join(", ")} and more` : all.join(", ");
  };
</script>

{#if p && p.edit}
  <aside aria-label="What it would do" id="would" class:docked>
    {#if pending.says}<p class="mono says">{pending.says}</p>{/if}
    {#each p.notes as n (n)}<p class="note">{n}</p>{/each}
    <div class="cols">
      <section>
        <h2>Would change</h2>
        {#each by.slice(0, 6) as [device, ports] (device)}<p><b>{device}</b> <span class="mono">{few(ports)}</span></p>{/each}
        {#if by.length > 6}<p>and ports of {by.length - 6} more devices</p>{/if}
        {#if !by.length}<p>No port: frames go as before.</p>{/if}
        <details open={!by.length && p.lines.length <= 12}>
          <summary>{count(p.lines.length, "line")}</summary>
          <pre class="mono">{p.lines.join("\n")}</pre>
        </details>
      </section>
      {#if p.talk?.length}
        <section>
          <h2>Who may talk</h2>
          {#each p.talk.slice(0, 5) as t (`${t.from} ${t.to}`)}<p>{t.text}</p>{/each}
          {#if p.talk.length > 5}<p>and {p.talk.length - 5} more pairs</p>{/if}
        </section>
      {/if}
      {#if p.come.length}
        <section class="come">
          <h2>Findings that come</h2>
          {#each p.come.slice(0, 4) as f (f.id)}<p class={f.severity}>{f.text}</p>{/each}
          {#if p.come.length > 4}<p>and {p.come.length - 4} more</p>{/if}
        </section>
      {/if}
      {#if p.go.length}
        <section>
          <h2>Findings that go</h2>
          {#each p.go.slice(0, 4) as f (f.id)}<p class="gone">✓ {f.text}</p>{/each}
          {#if p.go.length > 4}<p>and {p.go.length - 4} more</p>{/if}
        </section>
      {/if}
    </div>
    <p class="acts">
      <Button class="main" onclick={() => void pending.apply().then((done) => done && home())}>Do it <kbd>Enter</kbd></Button>
      <Button onclick={() => (pending.clear(), home())}>Cancel <kbd>Esc</kbd></Button>
    </p>
  </aside>
{/if}

<style>
  aside {
    position: fixed;
    left: 16px;
    right: 16px;
    bottom: 74px;
    z-index: 30;
    max-height: 236px;
    overflow: auto;
    padding: 10px 16px 12px;
    background: var(--panel);
    border: 1px solid var(--plum);
    border-radius: 3px;
    box-shadow: 0 6px 22px rgb(0 0 0 / 0.18);
    line-height: 1.4;
  }
  .docked {
    position: static;
    margin: 0 16px 6px;
    box-shadow: none;
  }
  .says {
    font-weight: 650;
    margin-bottom: 4px;
  }
  .note {
    color: var(--amber);
  }
  .cols {
    display: grid;
    grid-template-columns: repeat(auto-fit, minmax(260px, 1fr));
    gap: 4px 24px;
  }
  h2 {
    font-size: 11px;
    font-weight: 700;
    letter-spacing: 0.06em;
    text-transform: uppercase;
    color: var(--soft);
  }
  .come .breaks {
    color: var(--red);
  }
  .come .risk {
    color: var(--amber);
  }
  .gone {
    color: var(--soft);
  }
  summary {
    color: var(--soft);
    font-size: 12.5px;
    cursor: pointer;
  }
  pre {
    font-size: 12px;
    white-space: pre-wrap;
  }
  .acts {
    display: flex;
    gap: 8px;
    margin-top: 8px;
  }
  #would :global(button) {
    border: 1px solid var(--hair);
    border-radius: 3px;
    padding: 3px 10px;
    min-height: 28px;
  }
  #would :global(.main) {
    border-color: var(--plum);
    color: var(--plum);
    font-weight: 650;
  }
</style>
