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

<div class="cable gap-1 grid justify-items-start">
  <h2>
    Cable · {link.cables > 1 ? `${link.cables} that act as one, ` : ""}{link.broken
      ? "broken"
      : link.uneven || link.labels.length
        ? "the ends differ"
        : "both ends agree"}
  </h2>
  {#each link.labels as l (l)}<p class="text-red font-[650]" class:risk={!link.broken}>{l}</p>{/each}
  <Table>
    <thead
      ><tr
        ><th class="py-px pr-2 border-b-[1.5px] border-ink text-left font-bold"></th><th
          class="py-px pr-2 border-b-[1.5px] border-ink text-left font-bold"
          scope="col">{spaced(link.a)}</th
        ><th class="py-px pr-2 border-b-[1.5px] border-ink text-left font-bold" scope="col">{spaced(link.b)}</th></tr
      ></thead
    >
    <tbody>
      <tr class="shape"
        ><th class="py-px pr-2 border-b border-hair text-left font-medium whitespace-nowrap" scope="row">shape</th><td
          class="mono py-px pr-2 border-b border-hair text-[12px] wrap-anywhere">{a.port?.shape}</td
        ><td class="mono py-px pr-2 border-b border-hair text-[12px] wrap-anywhere">{b.port?.shape}</td></tr
      >
      {#if (a.port?.pvid ?? 0) !== (b.port?.pvid ?? 0)}<tr class="differ"
          ><th class="py-px pr-2 border-b border-hair text-left font-medium whitespace-nowrap" scope="row">PVID</th><td
            class="mono py-px pr-2 border-b border-hair">{a.port?.pvid || "none"}</td
          ><td class="mono py-px pr-2 border-b border-hair">{b.port?.pvid || "none"}</td></tr
        >{/if}
      {#each rows as r (r.vid)}
        <tr class:differ={r.differ} style:--vlan={hues.of.get(r.vid)}
          ><th class="py-px pr-2 border-b border-hair text-left font-medium whitespace-nowrap" scope="row"
            ><i class="mr-1.25 inline-block w-1.25 h-2.5 bg-(--vlan)"></i><span class="mono">{r.vid}</span> {name(r.vid)}</th
          ><td class="mono py-px pr-2 border-b border-hair">{r.a}</td><td class="mono py-px pr-2 border-b border-hair">{r.b}</td></tr
        >
      {/each}
    </tbody>
  </Table>
  <Button onclick={() => pending.propose([`-cable ${ref(link.a)} ${ref(link.b)}`])} {...only(may.plan)}
    >Remove the cable <kbd>x</kbd></Button
  >
</div>

<style>
  .risk {
    color: var(--amber);
  }
  .cable :global(table) {
    width: 100%;
    border-collapse: collapse;
    font-size: 13px;
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
