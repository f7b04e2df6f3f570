<script lang="ts">
  import { may, only } from "../state/may.svelte";
  import { Button, Table } from "flowbite-svelte";
  import type { Link } from "../api/client";
  import { ref } from "../line/quote";
  import { hues } from "../state/hues.svelte";
  import { office } from "../state/office.svelte";
  import { pending } from "../state/pending.svelte";

  let { link }: { link: Link } = $props();

  const port = (name: string) => {
    const dot = name.indexOf(".");
    const d = office.shown?.devices.find((d) => d.name === name.slice(0, dot));
    return { device: d, port: d?.ports.find((p) => p.name === name.slice(dot + 1)) };
  };
  const a = $derived(port(link.a));
  const b = $derived(port(link.b));
  const spaced = (r: string) => r.replace(".", " ");
  const as = (x: typeof a, vid: number) => {
    if (x.device?.forwarding.startsWith("unaware")) return "as it comes";
    if (x.port?.untagged.includes(vid)) return "U";
    return x.port?.tagged.includes(vid) ? "T" : "–";
  };
  const rows = $derived.by(() => {
    const vids = new Set([a, b].flatMap((x) => [...(x.port?.untagged ?? []), ...(x.port?.tagged ?? [])]));
    return [...vids]
      .sort((p, q) => p - q)
      .map((vid) => ({ vid, a: as(a, vid), b: as(b, vid) }))
      .map((r) => ({ ...r, differ: r.a !== r.b && r.a !== "as it comes" && r.b !== "as it comes" }))
      .sort((p, q) => Number(q.differ) - Number(p.differ));
  });
  const name = (vid: number) => office.shown?.vlans.find((v) => v.vid === vid)?.name ?? "";
</script>

<div class="cable">
  <h2>
    Cable · {link.cables > 1 ? `${link.cables} that act as one, ` : ""}{link.broken
      ? "broken"
      : link.uneven || link.labels.length
        ? "the ends differ"
        : "both ends agree"}
  </h2>
  {#each link.labels as l (l)}<p class="reason" class:risk={!link.broken}>{l}</p>{/each}
  <Table>
    <thead><tr><th></th><th scope="col">{spaced(link.a)}</th><th scope="col">{spaced(link.b)}</th></tr></thead>
    <tbody>
      <tr class="shape"><th scope="row">shape</th><td class="mono">{a.port?.shape}</td><td class="mono">{b.port?.shape}</td></tr>
      {#if (a.port?.pvid ?? 0) !== (b.port?.pvid ?? 0)}<tr class="differ"
          ><th scope="row">PVID</th><td class="mono">{a.port?.pvid || "none"}</td><td class="mono">{b.port?.pvid || "none"}</td></tr
        >{/if}
      {#each rows as r (r.vid)}
        <tr class:differ={r.differ} style:--vlan={hues.of.get(r.vid)}
          ><th scope="row"><i></i><span class="mono">{r.vid}</span> {name(r.vid)}</th><td class="mono">{r.a}</td><td class="mono">{r.b}</td
          ></tr
        >
      {/each}
    </tbody>
  </Table>
  <Button onclick={() => pending.propose([`-cable ${ref(link.a)} ${ref(link.b)}`])} {...only(may.plan)}
    >Remove the cable <kbd>x</kbd></Button
  >
</div>

<style>
  .cable {
    display: grid;
    gap: 4px;
    justify-items: start;
  }
  .reason {
    color: var(--red);
    font-weight: 650;
  }
  .risk {
    color: var(--amber);
  }
  .cable :global(table) {
    width: 100%;
    border-collapse: collapse;
    font-size: 13px;
  }
  th {
    text-align: left;
    font-weight: 500;
    padding: 1px 8px 1px 0;
  }
  thead th {
    font-weight: 700;
    border-bottom: 1.5px solid var(--ink);
  }
  td {
    padding: 1px 8px 1px 0;
    border-bottom: 1px solid var(--hair);
  }
  tbody th {
    border-bottom: 1px solid var(--hair);
    white-space: nowrap;
  }
  i {
    display: inline-block;
    width: 5px;
    height: 10px;
    margin-right: 5px;
    background: var(--vlan);
  }
  .shape td {
    font-size: 12px;
    overflow-wrap: anywhere;
  }
  .differ th,
  .differ td {
    color: var(--red);
    font-weight: 700;
  }
  .cable :global(button) {
    border: 1px solid var(--hair);
    border-radius: 3px;
    padding: 2px 9px;
    min-height: 26px;
    font-size: 13px;
    background: var(--panel);
    margin-top: 4px;
  }
</style>
