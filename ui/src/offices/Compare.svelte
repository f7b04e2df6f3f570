<script lang="ts">
  import { Button, Select } from "flowbite-svelte";
  import { api, type Comparison } from "../api/client";
  import { office } from "../state/office.svelte";
  import { place } from "../state/place.svelte";

  const other = $derived(Number(place.now.query.get("with")) || 0);
  const list = $derived(office.offices.filter((o) => o.id !== office.view?.id));
  let found = $state.raw<Comparison | null>(null);
  let problem = $state("");

  $effect(() => {
    const view = office.view;
    if (!view || !other) return;
    void view.revision;
    api.compare(view.id, other).then(
      (c) => {
        found = c;
        problem = "";
      },
      (e) => {
        found = null;
        problem = e instanceof Error ? e.message : String(e);
      },
    );
  });
  async function takeOver() {
    if (await office.takeOver(other)) office.notice = { kind: "said", text: "Taken over; Ctrl+Z takes it back." };
  }
  const spaced = (p: string) => p.replace(".", " ");
  const few = (ps: string[]) => ps.slice(0, 8).map(spaced).join(", ") + (ps.length > 8 ? ` and ${ps.length - 8} more` : "");
</script>

<div class="compare">
  <h1>Compare</h1>
  <p class="lead">
    From {office.view?.title} to
    <Select
      placeholder=""
      classes={{ select: "field" }}
      id="compare-with"
      aria-label="The office to compare with"
      value={String(other)}
      onchange={(e) => place.go(place.href("compare", { with: e.currentTarget.value }), true)}
    >
      <option value="0">another office</option>
      {#each list as o (o.id)}<option value={String(o.id)}>{o.title}</option>{/each}
    </Select>
  </p>
  {#if problem}<p class="wrong" role="alert">{problem}</p>{/if}
  {#if found && found.lines.length && list.find((o) => o.id === other)?.copyOf === office.view?.id}
    <p>
      <Button class="main" id="take-over" onclick={takeOver}>Take what was tried over, as one edit</Button>
      <span class="soft"
        >Only what was changed there since it was copied; what others changed here meanwhile stays, and where both changed the same it is
        told.</span
      >
    </p>
  {/if}
  {#if found}
    {#if !found.lines.length}
      <p>They are the same.</p>
    {:else}
      <div class="cols">
        <section>
          <h2>What it means</h2>
          {#each found.ports.slice(0, 60) as p (p.port)}
            <p data-changed={p.port}>
              <b>{spaced(p.port)}</b>
              {#if p.gains.length}gains {few(p.gains)}{/if}{p.gains.length && p.loses.length ? "; " : ""}{#if p.loses.length}<span
                  class="loses">loses {few(p.loses)}</span
                >{/if}{#if p.otherwise.length}{p.gains.length + p.loses.length ? "; " : ""}still reaches {few(p.otherwise)}, but tagged
                otherwise{/if}
            </p>
          {:else}
            <p>Frames go the same ways.</p>
          {/each}
          {#if found.ports.length > 60}<p>and {found.ports.length - 60} more ports</p>{/if}
          <h2>Findings</h2>
          {#each found.come as f (f.id)}<p class={f.severity}>comes: {f.text}</p>{/each}
          {#each found.go as f (f.id)}<p class="soft">goes: {f.text}</p>{/each}
          {#if !found.come.length && !found.go.length}<p>The same.</p>{/if}
        </section>
        <section>
          <h2>Lines</h2>
          <pre class="mono">{#each found.lines as l, i (i)}<span
                class:plus={l.startsWith("+")}
                class:minus={l.startsWith("-")}
                class:place={l.startsWith("@@")}
                >{l}
</span>{/each}</pre>
        </section>
      </div>
    {/if}
  {/if}
</div>

<style>
  .compare {
    padding: 18px 28px 40px;
  }
  .cols {
    display: grid;
    grid-template-columns: repeat(auto-fit, minmax(380px, 1fr));
    gap: 28px;
  }
  h2 {
    font-weight: 700;
    margin: 8px 0 4px;
  }
  .loses,
  .breaks {
    color: var(--red);
  }
  .risk {
    color: var(--amber);
  }
  .soft,
  .place {
    color: var(--soft);
  }
  pre {
    font-size: 12px;
    background: var(--panel);
    border: 1px solid var(--hair);
    padding: 8px;
    overflow: auto;
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
