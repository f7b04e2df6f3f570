<!-- The board on paper: strips that fit the sheet, with what hangs on each port, then the cables and the plugs. -->
<script lang="ts">
  import First from "../shell/First.svelte";
  import { Button, Select, Table } from "flowbite-svelte";
  import type { Port } from "../api/client";
  import { letter } from "../board/cells";
  import { hues } from "../state/hues.svelte";
  import SitePick from "../shell/SitePick.svelte";
  import { sites } from "../state/sites.svelte";
  import { office } from "../state/office.svelte";
  import { bands, hangs, papers, room, type Paper } from "./bands";

  let paper = $state<Paper>((localStorage.getItem("klammer-paper") as Paper | null) ?? "A4");
  $effect(() => localStorage.setItem("klammer-paper", paper));

  /** What is drawn: the devices of the site that is looked at, with the cables that end there. */
  const view = $derived({
    ...office.shown!,
    devices: office.shown!.devices.filter((d) => sites.has(d.name)),
    links: office.shown!.links.filter((l) => [l.a, l.b].some((r) => sites.has(r.slice(0, r.indexOf("."))))),
  });
  const most = $derived(room(view, papers[paper] ?? papers.A4));
  const strips = $derived(bands(view, most));
  const today = new Date().toISOString().slice(0, 10);
  const says = (port: string) => port.replace(".", " ");

  // Lengths of the drawing; a strip is as wide as the paper.
  const names = 150,
    wide = 20,
    tall = 19,
    gap = 10,
    heads = 86;
  const width = $derived(names + most * wide + Math.max(...strips.map((b) => b.parts.length), 0) * gap);
  const below = (b: (typeof strips)[number]) =>
    14 + 5.1 * Math.min(26, Math.max(0, ...b.parts.flatMap((p) => p.columns.map((c) => hangs(c, view).length))));
  const cut = (s: string, most: number) => (s.length > most ? `${s.slice(0, most - 1)}…` : s);
  /** Where each part of a strip begins. */
  function places(b: (typeof strips)[number]) {
    let x = names;
    return b.parts.map((p) => {
      const at = x;
      x += p.columns.length * wide + gap;
      return { p, at };
    });
  }
  const plugs = $derived(
    view.devices.flatMap((d) => d.ports.flatMap((p) => (p.plugs ?? []).map((g) => ({ ...g, port: `${d.name} ${p.name}` })))),
  );
  const ports = $derived(
    new Map<string, Port>(office.shown!.devices.flatMap((d) => d.ports.map((p): [string, Port] => [`${d.name}.${p.name}`, p]))),
  );
  /** Over a cable to what knows no tags goes what its one end sends untagged. */
  const carried = (l: (typeof view.links)[number]) =>
    l.ranges || l.vlans.join(" ") || [l.a, l.b].flatMap((r) => ports.get(r)?.untagged ?? []).join(" ") || "none";
</script>

<svelte:head>
  <!-- eslint-disable-next-line svelte/no-at-html-tags -->
  {@html `<style>@media print { @page { size: ${paper === "A3" ? "A3" : "A4"} landscape; margin: 10mm; } }</style>`}
</svelte:head>

<div class="poster px-7 pt-4.5 pb-10 max-w-375 print:p-0 print:max-w-none">
  <header class="mb-2.5 gap-y-1 gap-x-3.5 flex flex-wrap items-center">
    <h1>
      {view.title}{#if sites.chosen !== "all"}, {sites.chosen || "no site"}{/if}
    </h1>
    <p class="lead m-0 flex-1">
      revision {view.revision} · {today} · <b class="mono">U</b> untagged, <b class="mono">[T]</b> tagged, <b class="mono">p</b> PVID alone ·
      → the far end of a cable
    </p>
    <span class="noprint"><SitePick /></span>
    <label class="noprint"
      >Paper <Select placeholder="" classes={{ select: "field" }} bind:value={paper} id="paper"
        >{#each Object.keys(papers) as p (p)}<option>{p}</option>{/each}</Select
      ></label
    >
    <Button class="noprint main" onclick={() => print()}>Print</Button>
  </header>
  {#if !view.devices.length}<First what="The board on paper, for the rack's door." />{/if}
  {#each strips as b, n (n)}
    {@const foot = heads + b.vlans.length * tall}
    <svg
      class="mb-3.5 w-full block break-inside-avoid text-ink bg-panel"
      viewBox={`0 0 ${width} ${foot + below(b)}`}
      role="img"
      aria-label={`${b.parts.map((p) => p.device).join(", ")}: memberships of ${b.vlans.length} VLANs`}
    >
      {#each b.vlans as v, i (v.vid)}
        {@const y = heads + i * tall}
        {#if i % 2 === 0}<rect class="fill-stripe" x="0" {y} {width} height={tall} />{/if}
        <rect x="0" y={y + 4} width="4" height={tall - 8} style:fill={hues.of.get(v.vid)} />
        <text class="vid font-bold font-mono" x="10" y={y + 13.5}>{v.vid}</text>
        <text x="46" y={y + 13.5}>{cut(v.name || "not registered", 15)}</text>
      {/each}
      {#each places(b) as { p, at } (at)}
        <text class="device font-bold" x={at} y="11"
          >{cut(`${p.on ? "… " : ""}${p.device}`, Math.max(4, Math.floor((p.columns.length * wide + gap) / 7)))}</text
        >
        <path class="fill-none stroke-ink stroke-[1.4]" d={`M${at} 20v-4h${p.columns.length * wide - 2}v4`} />
        {#each p.columns as c, j (c.ports[0])}
          {@const x = at + j * wide}
          <text class="port mono" class:off={c.port.off} transform={`translate(${x + wide / 2 + 3} ${heads - 5}) rotate(-90)`}
            >{cut(c.label, 9)}{c.port.off ? " off" : ""}</text
          >
          {#each b.vlans as v, i (v.vid)}
            {@const y = heads + i * tall}
            {@const as = letter(c.port, v.vid)}
            {#if as === "U"}
              <rect x={x + 2} y={y + 2} width={wide - 4} height={tall - 4} style:fill={hues.of.get(v.vid)} /><text
                class="in font-mono"
                x={x + wide / 2}
                y={y + 13.5}>U</text
              >
            {:else if as === "T"}
              <path
                class="t fill-none stroke-[1.8]"
                d={`M${x + 6} ${y + 2.5}h-3v${tall - 5}h3M${x + wide - 6} ${y + 2.5}h3v${tall - 5}h-3`}
                style:stroke={hues.of.get(v.vid)}
              /><text class="tt font-mono" x={x + wide / 2} y={y + 13.5}>T</text>
            {:else if c.port.pvid === v.vid}
              <text class="tt font-mono" x={x + wide / 2} y={y + 13.5}>p</text>
            {:else}
              <circle class="fill-soft" cx={x + wide / 2} cy={y + tall / 2} r="0.9" />
            {/if}
          {/each}
          <text class="hang" transform={`translate(${x + wide / 2 + 3} ${foot + 8}) rotate(90)`}>{cut(hangs(c, view), 26)}</text>
        {/each}
      {/each}
    </svg>
  {/each}
  <div class="gap-y-3 gap-x-10 flex flex-wrap items-start">
    {#if view.links.length}
      <section>
        <h2 class="font-bold">Cables</h2>
        <Table>
          <thead
            ><tr class="break-inside-avoid"
              ><th class="pr-4 border-b-[1.5px] border-ink text-left">From</th><th class="pr-4 border-b-[1.5px] border-ink text-left">To</th
              ><th class="pr-4 border-b-[1.5px] border-ink text-left">VLANs over it</th></tr
            ></thead
          >
          <tbody>
            {#each view.links as l (l.a + l.b)}
              <tr class="break-inside-avoid" class:broken={l.broken}
                ><td class="py-px pr-4 border-b border-hair">{says(l.a)}</td><td class="py-px pr-4 border-b border-hair">{says(l.b)}</td><td
                  class="mono py-px pr-4 border-b border-hair"
                  >{carried(l)}{l.mode ? ` · ${l.mode} ×${l.cables}` : l.cables > 1 ? ` · ×${l.cables}` : ""}{l.labels.length
                    ? ` · ${l.labels.join(", ")}`
                    : ""}</td
                ></tr
              >
            {/each}
          </tbody>
        </Table>
      </section>
    {/if}
    {#if plugs.length}
      <section>
        <h2 class="font-bold">Plugged in</h2>
        <Table>
          <thead
            ><tr class="break-inside-avoid"
              ><th class="pr-4 border-b-[1.5px] border-ink text-left">Port</th><th class="pr-4 border-b-[1.5px] border-ink text-left"
                >What</th
              ><th class="pr-4 border-b-[1.5px] border-ink text-left">VLAN</th></tr
            ></thead
          >
          <tbody
            >{#each plugs as p (p.port + p.name)}<tr class="break-inside-avoid"
                ><td class="py-px pr-4 border-b border-hair">{p.port}</td><td class="py-px pr-4 border-b border-hair"
                  >{p.name}{p.facts?.note ? ` (${p.facts.note})` : ""}</td
                ><td class="mono py-px pr-4 border-b border-hair">{p.tagged ? `[${p.wants}]` : p.wants}</td></tr
              >{/each}</tbody
          >
        </Table>
      </section>
    {/if}
  </div>
</div>

<style>
  text {
    font-size: 11.5px;
    fill: var(--ink);
  }
  .port {
    font-size: 10px;
  }
  .off {
    fill: var(--soft);
  }
  .in,
  .tt {
    text-anchor: middle;
    font-weight: 700;
    font-size: 11px;
  }
  .in {
    fill: var(--on-vlan);
  }
  .hang {
    font-size: 9px;
    fill: var(--ink);
  }
  .poster :global(table) {
    border-collapse: collapse;
    font-size: 12.5px;
  }
  .broken td {
    color: var(--red);
  }
  @media screen and (max-width: 900px) {
    .poster {
      overflow-x: auto;
    }
    svg {
      min-width: 900px;
    }
  }
</style>
