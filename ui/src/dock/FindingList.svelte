<script lang="ts">
  import { may, only } from "../state/may.svelte";
  import { Button } from "flowbite-svelte";
  import type { Finding } from "../api/client";
  import Ring from "./Ring.svelte";
  import { says } from "./says";
  import { mends } from "../state/mends.svelte";
  import { office } from "../state/office.svelte";
  import { pending } from "../state/pending.svelte";
  import { seen } from "../state/seen.svelte";
  import { selection } from "../state/selection.svelte";

  // What devices see otherwise than planned stands with the rest, now; not in the past.
  const all = $derived([...(office.shown?.findings ?? []), ...(office.then ? [] : (seen.now?.findings ?? []))]);
  const ways = (f: Finding) => (seen.now?.findings.includes(f) ? f.mends : mends.of(f));
  /** As many are listed at once, and their mends tried. */
  const most = 60;
  const touching = $derived.by(() => {
    if (selection.all) return all;
    if (selection.cable) {
      const l = office.shown?.links.find((l) => `${l.a} ${l.b}` === selection.cable);
      const here = all.filter((f) => l && f.ports.includes(l.a) && f.ports.includes(l.b));
      const causes = new Set(here.map((f) => f.id));
      return all.filter((f) => causes.has(f.id) || (f.cause && causes.has(f.cause)));
    }
    const ports = new Set(selection.ports);
    const devices = new Set(selection.ports.map((p) => p.slice(0, p.indexOf("."))));
    const direct = all.filter((f) => f.ports.some((p) => ports.has(p)) || f.devices?.some((d) => devices.has(d)));
    const ids = new Set(direct.flatMap((f) => [f.id, f.cause ?? ""]));
    return all.filter((f) => ids.has(f.id) || (f.cause && ids.has(f.cause)) || f.vlans.includes(selection.vlan?.vid ?? 0));
  });
  // A fault first, what follows from it under it.
  const grouped = $derived.by(() => {
    const ids = new Set(touching.map((f) => f.id));
    const under = (id: string): Finding[] => touching.filter((f) => f.cause === id).flatMap((f) => [f, ...under(f.id)]);
    return touching.filter((f) => !f.cause || !ids.has(f.cause)).map((f) => ({ root: f, follow: under(f.id) }));
  });
  const rest = $derived(Math.max(0, grouped.length - most) + (selection.all ? (office.shown?.more ?? 0) : 0));
  const roots = $derived(all.filter((f) => !f.cause));
  const at = $derived(roots.findIndex((f) => f.id === selection.finding));
  const label = (m: string[]) => (m.length > 1 ? `${m[0]} …` : m[0]);
  const go = (f: Finding) => {
    const p = f.ports[0];
    const all = selection.all;
    if (p) selection.goTo(p, f.vlans.at(-1));
    selection.finding = f.id;
    selection.all = all;
    document.getElementById("board")?.focus();
  };
</script>

<div class="findings" aria-live="polite">
  <h2>
    {selection.finding && !selection.all
      ? `${at + 1} of ${roots.length} · n steps on`
      : selection.all
        ? "All findings"
        : "Findings touching the selection"}
  </h2>
  {#each grouped.slice(0, most) as { root, follow } (root.id)}
    <article
      data-code={root.code}
      class={root.severity}
      class:here={selection.finding === root.id}
      {@attach (el) => void (selection.finding === root.id && el.scrollIntoView({ block: "nearest" }))}
    >
      <span class="severity">{root.severity}</span>
      <div>
        <Button class="text" onclick={() => go(root)} data-tip="Go there">{root.text}</Button>
        {#each follow as f (f.id)}<p class="follow" data-code={f.code}>└ {f.text}</p>{/each}
        {#if root.code === "loop" && root.ports.length <= 24}<Ring ports={root.ports} mends={mends.of(root)} />{/if}
        {#if ways(root).length}
          <p class="mends">
            {#each ways(root) as m (m.join("\n"))}
              <Button
                class="mend mono"
                data-tip={`${m.map(says).join("\n")}\nShows what it would do first (m).\n\n${m.join("\n")}`}
                onclick={() => pending.propose(m)}
                {...only(may.plan)}>{label(m)}</Button
              >
            {/each}
          </p>
        {/if}
      </div>
    </article>
  {:else}
    <p class="none">Nothing: frames go here as they should.</p>
  {/each}
  {#if rest}<p class="none">And {rest} more: what is above comes first.</p>{/if}
</div>

<style>
  article {
    display: grid;
    grid-template-columns: 62px 1fr;
    padding: 5px 0 6px 8px;
    margin-left: -8px;
    border-bottom: 1px solid var(--hair);
    line-height: 1.38;
  }
  .here {
    box-shadow: inset 3px 0 0 var(--plum);
    background: var(--panel);
  }
  .severity {
    font-size: 11px;
    font-weight: 700;
    text-transform: uppercase;
    letter-spacing: 0.03em;
    padding-top: 2px;
    color: var(--tidy);
  }
  .breaks .severity {
    color: var(--red);
  }
  .risk .severity {
    color: var(--amber);
  }
  .findings :global(.text) {
    border: 0;
    padding: 0;
    min-height: 0;
    background: none;
    text-align: left;
    line-height: 1.38;
  }
  .findings :global(.text:hover) {
    text-decoration: underline;
  }
  .follow {
    color: var(--soft);
    font-size: 13px;
  }
  .mends {
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
    margin-top: 4px;
  }
  .findings :global(.mend) {
    border: 1px solid var(--plum);
    color: var(--plum);
    border-radius: 3px;
    padding: 2px 8px;
    font-size: 12.5px;
    min-height: 26px;
    background: var(--panel);
    text-align: left;
  }
  .findings :global(.mend:hover) {
    background: var(--plum-wash);
  }
  .none {
    color: var(--soft);
  }
</style>
