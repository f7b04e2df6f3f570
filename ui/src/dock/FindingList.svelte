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
      class={["-ml-2 pt-1.25 pr-0 pb-1.5 pl-2 border-b border-hair grid grid-cols-[62px_1fr] leading-[1.38]", root.severity]}
      class:here={selection.finding === root.id}
      {@attach (el) => void (selection.finding === root.id && el.scrollIntoView({ block: "nearest" }))}
    >
      <span class="severity pt-0.5 text-[11px] font-bold uppercase tracking-[0.03em] text-tidy">{root.severity}</span>
      <div>
        <Button
          class="text border-0 p-0 min-h-0 bg-transparent dark:bg-transparent hover:bg-transparent dark:hover:bg-transparent text-left leading-[1.38] hover:underline"
          onclick={() => go(root)}
          data-tip="Go there">{root.text}</Button
        >
        {#each follow as f (f.id)}<p class="text-soft text-[13px]" data-code={f.code}>└ {f.text}</p>{/each}
        {#if root.code === "loop" && root.ports.length <= 24}<Ring ports={root.ports} mends={mends.of(root)} />{/if}
        {#if ways(root).length}
          <p class="mends mt-1 gap-1.5 flex flex-wrap">
            {#each ways(root) as m (m.join("\n"))}
              <Button
                class="mend mono min-h-6.5 px-2 border-plum dark:border-plum text-left text-[12.5px] text-plum dark:text-plum hover:bg-plum-wash dark:hover:bg-plum-wash hover:text-plum dark:hover:text-plum"
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
    <p class="none text-soft">Nothing: frames go here as they should.</p>
  {/each}
  {#if rest}<p class="none text-soft">And {rest} more: what is above comes first.</p>{/if}
</div>

<style>
  .here {
    box-shadow: inset 3px 0 0 var(--plum);
    background: var(--panel);
  }
  .breaks .severity {
    color: var(--red);
  }
  .risk .severity {
    color: var(--amber);
  }
</style>
