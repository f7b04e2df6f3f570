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
  <aside
    class="px-4 pt-2.5 pb-3 border border-plum overflow-auto fixed left-4 right-4 bottom-18.5 z-30 max-h-59 bg-panel rounded-[3px] [box-shadow:0_6px_22px_rgb(0_0_0_/_0.18)] leading-[1.4]"
    aria-label="What it would do"
    id="would"
    class:docked
  >
    {#if pending.says}<p class="mono says mb-1 font-[650]">{pending.says}</p>{/if}
    {#each p.notes as n (n)}<p class="note text-amber">{n}</p>{/each}
    <div class="gap-y-1 gap-x-6 grid grid-cols-[repeat(auto-fit,minmax(260px,1fr))]">
      <section>
        <h2 class="text-[11px] font-bold tracking-[0.06em] uppercase text-soft">Would change</h2>
        {#each by.slice(0, 6) as [device, ports] (device)}<p><b>{device}</b> <span class="mono">{few(ports)}</span></p>{/each}
        {#if by.length > 6}<p>and ports of {by.length - 6} more devices</p>{/if}
        {#if !by.length}<p>No port: frames go as before.</p>{/if}
        <details open={!by.length && p.lines.length <= 12}>
          <summary class="text-soft text-[12.5px] cursor-pointer">{count(p.lines.length, "line")}</summary>
          <pre class="mono text-[12px] whitespace-pre-wrap">{p.lines.join("\n")}</pre>
        </details>
      </section>
      {#if p.talk?.length}
        <section>
          <h2 class="text-[11px] font-bold tracking-[0.06em] uppercase text-soft">Who may talk</h2>
          {#each p.talk.slice(0, 5) as t (`${t.from} ${t.to}`)}<p>{t.text}</p>{/each}
          {#if p.talk.length > 5}<p>and {p.talk.length - 5} more pairs</p>{/if}
        </section>
      {/if}
      {#if p.come.length}
        <section class="come">
          <h2 class="text-[11px] font-bold tracking-[0.06em] uppercase text-soft">Findings that come</h2>
          {#each p.come.slice(0, 4) as f (f.id)}<p class={f.severity}>{f.text}</p>{/each}
          {#if p.come.length > 4}<p>and {p.come.length - 4} more</p>{/if}
        </section>
      {/if}
      {#if p.go.length}
        <section>
          <h2 class="text-[11px] font-bold tracking-[0.06em] uppercase text-soft">Findings that go</h2>
          {#each p.go.slice(0, 4) as f (f.id)}<p class="gone text-soft">✓ {f.text}</p>{/each}
          {#if p.go.length > 4}<p>and {p.go.length - 4} more</p>{/if}
        </section>
      {/if}
    </div>
    <p class="acts mt-2 gap-2 flex">
      <Button
        class="main px-2.5 py-0.75 border border-plum! rounded-[3px] min-h-7 text-plum! font-[650]"
        onclick={() => void pending.apply().then((done) => done && home())}>Do it <kbd>Enter</kbd></Button
      >
      <Button class="px-2.5 py-0.75 border border-hair! rounded-[3px] min-h-7" onclick={() => (pending.clear(), home())}
        >Cancel <kbd>Esc</kbd></Button
      >
    </p>
  </aside>
{/if}

<style>
  .docked {
    position: static;
    margin: 0 16px 6px;
    box-shadow: none;
  }
  .come .breaks {
    color: var(--red);
  }
  .come .risk {
    color: var(--amber);
  }
</style>
