<script lang="ts">
  import First from "../shell/First.svelte";
  import { may, only } from "../state/may.svelte";
  import { Button } from "flowbite-svelte";
  import { tick } from "svelte";
  import { latest } from "../api/latest";
  import { count } from "../shell/plural";
  import { api, type Reach } from "../api/client";
  import { hues } from "../state/hues.svelte";
  import { mends } from "../state/mends.svelte";
  import { office } from "../state/office.svelte";
  import { place } from "../state/place.svelte";
  import { selection } from "../state/selection.svelte";
  import { pending } from "../state/pending.svelte";
  import Tree from "./Tree.svelte";

  let reach = $state.raw<Reach | null>(null);
  const vlans = $derived(office.shown?.vlans ?? []);
  const vid = $derived(Number(place.now.query.get("vlan")) || selection.vlan?.vid || vlans[0]?.vid || 0);
  const v = $derived(vlans.find((x) => x.vid === vid));
  const why = $derived(
    (office.shown?.findings ?? []).filter(
      (f) =>
        f.vlans.includes(vid) &&
        ["not-carried", "untagged-mismatch", "split", "merged", "one-way", "plug-unserved", "tag-into-unaware"].includes(f.code),
    ),
  );
  const newest = latest();
  const ends = (bs: Reach["roots"]): number => bs.reduce((n, b) => n + b.count + ends(b.branches), 0);

  $effect(() => {
    const view = office.shown;
    if (!view || !vid) return;
    void view.revision;
    newest(api.explain(view.id, [], vid, office.then?.revision)).then(
      (x) => (reach = x.reach ?? null),
      (e) => office.tell(e),
    );
  });
  function keys(e: KeyboardEvent) {
    const at = vlans.findIndex((x) => x.vid === vid);
    const to = e.key === "ArrowDown" ? at + 1 : e.key === "ArrowUp" ? at - 1 : -1;
    if (!vlans[to]) return;
    e.preventDefault();
    place.go(place.href("reach", { vlan: vlans[to].vid }), true);
    void tick().then(() => document.querySelector<HTMLElement>(".vlans [aria-current]")?.focus());
  }
</script>

<div class="reach grid grid-cols-[220px_minmax(0,1fr)] min-h-full narrow:grid-cols-1 narrow:content-start">
  <!-- svelte-ignore a11y_no_noninteractive_element_interactions -->
  <nav
    class="vlans py-3 border-r border-hair bg-panel narrow:py-1 narrow:border-r-0 narrow:border-b narrow:flex narrow:flex-wrap"
    aria-label="VLANs"
    onkeydown={keys}
  >
    {#each vlans as x (x.vid)}
      <a
        class="px-3 py-1 gap-1.75 flex items-center min-h-7 aria-[current]:bg-plum-wash aria-[current]:font-[650]"
        href={place.href("reach", { vlan: x.vid })}
        aria-current={x.vid === vid ? "true" : undefined}
        style:--vlan={hues.of.get(x.vid)}
      >
        <i class="w-1.25 h-3.25 bg-(--vlan)"></i><span class="mono">{x.vid}</span>
        <span class="name flex-1">{x.name || "not registered"}</span>
        <span class="state text-[11.5px] text-soft" class:bad={x.state === "split" || x.state === "merged"}>{x.state}</span>
      </a>
    {/each}
  </nav>
  <section class="px-7 pt-4.5 pb-10 narrow:px-4" aria-live="polite" style:--vlan={hues.of.get(vid)}>
    {#if v}
      <h1><span class="mono">{v.vid}</span> {v.name}</h1>
      <p class="lead">
        {v.note ? `${v.note}. ` : ""}{v.nets.join(", ")}{v.gateway
          ? ` · gateway ${v.gateway}`
          : v.local
            ? " · local, no gateway is meant"
            : ""}
        {#if reach?.vid === vid}· ends at {count(ends(reach.roots), "port")}, {v.parts > 1 ? `in ${v.parts} parts` : v.state}{/if}
      </p>
      {#each why as f (f.id)}
        <div class="mb-1.5 px-2.5 py-0.5 border-l-3 border-soft gap-y-1 gap-x-3 flex flex-wrap items-center max-w-[90ch] why {f.severity}">
          <p>{f.text}</p>
          {#each mends.of(f).slice(0, 1) as m (m[0])}<Button class="mono" onclick={() => pending.propose(m)} {...only(may.plan)}
              >{m[0]}{m.length > 1 ? " …" : ""}</Button
            >{/each}
        </div>
      {/each}
      {#if reach?.vid === vid}
        {#each reach.roots as root, i (root.device + root.port)}
          {#if i === 1 && root.cut}<h2 class="mt-3.5 font-bold text-red">Cut off</h2>{/if}
          <ul class="tree mt-2.5"><Tree branch={root} root {vid} /></ul>
        {:else}
          <p class="lead">Nothing is in it: no port, no address, no plug.</p>
        {/each}
      {/if}
    {:else}
      <h1>Reach</h1>
      <First what="How a VLAN spreads from its gateway over every cable, where it ends, and who is cut off." />
    {/if}
  </section>
</div>

<style>
  .bad {
    color: var(--red);
  }
  .why.breaks {
    border-color: var(--red);
  }
  .why.risk {
    border-color: var(--amber);
  }
</style>
