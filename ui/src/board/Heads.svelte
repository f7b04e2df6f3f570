<script lang="ts">
  import type { Finding } from "../api/client";
  import { found } from "../state/found.svelte";
  import { office } from "../state/office.svelte";
  import { sites } from "../state/sites.svelte";
  import { rows } from "../state/rows.svelte";
  import { selection } from "../state/selection.svelte";
  import { forwarded } from "../devices/asks";
  import { useRuns, type Column, type Layout } from "./fold";

  let {
    plan,
    columns,
    from,
    marks,
    count,
  }: { plan: Layout; columns: Column[]; from: number; marks: Map<string, Finding["severity"]>; count: number } = $props();

  const mark = (c: Column) => {
    const all = c.ports.map((p) => marks.get(p));
    return all.includes("breaks") ? "breaks" : all.includes("risk") ? "risk" : "";
  };
  const departs = (c: Column) => c.port.source === "exception";
  const other = (c: Column) => c.ports.some((p) => found.ports.has(p));
  const hint = (c: Column) => {
    const plugs = (c.port.plugs ?? []).map((p) => p.name).join(", ");
    const more = c.ports.length > 1 ? `${c.ports.length} ports; Enter unfolds them` : plugs;
    const why = departs(c) && `departs from the plan (${c.port.planned}): ${c.port.because || "no reason given"}`;
    return [
      `${c.device} ${c.label}`,
      c.port.flavour && `inner port (${c.port.flavour})`,
      c.port.use && `use ${c.port.use}`,
      why,
      other(c) && "found set otherwise: see its sheet",
      more,
    ]
      .filter(Boolean)
      .join(" · ");
  };
  function show(side: string) {
    found.both = side === "both";
    (side === "found" ? office.lookFound() : office.look(null)).catch((e) => office.tell(e));
  }
  const uses = $derived(useRuns(columns));
  /** The letters of a use's name that its columns have room for; the whole name is in its tooltip. */
  const short = (name: string, width: number) =>
    name.length * 4.6 > width - 2 ? name.slice(0, Math.max(1, Math.floor((width - 2) / 4.6))) : name;
  const groups = $derived(plan.groups.filter((g) => columns.length && g.x + g.width >= columns[0]!.x && g.x <= columns.at(-1)!.x));
</script>

<div class="heads sticky top-0 z-4 h-(--heads) bg-panel" role="row" aria-rowindex={1}>
  <span
    class="pr-2 pb-1 pl-2.5 gap-y-0.5 gap-x-1.5 sticky left-0 w-(--names) flex flex-wrap content-end items-center h-(--heads) bg-panel z-2"
    role="columnheader"
  >
    <span class="sr-only">VLAN</span>
    <input
      class="filter px-1.5 py-0 border border-hair w-22 h-6 text-[12px] rounded-[3px] bg-transparent text-inherit"
      type="search"
      placeholder="filter rows"
      aria-label="Filter the rows"
      bind:value={rows.filter}
      onkeydown={(e) => {
        e.stopPropagation();
        if (e.key === "Escape") rows.filter = "";
        if (e.key === "Escape" || e.key === "Enter") document.getElementById("board")?.focus();
      }}
    />
    <button class="sort text-[11.5px] text-soft min-h-6" onclick={() => rows.turn()} data-tip="Sort the rows (s)">by {rows.sort}</button>
    {#if found.devices.length}
      <select
        class="side py-0 pr-4.5 pl-1 border border-hair text-[11.5px] h-6 rounded-[3px] bg-transparent bg-position-[right_4px_center] bg-size-[8px] text-inherit"
        aria-label="What the board shows"
        value={office.asFound ? "found" : found.both ? "both" : "plan"}
        onchange={(e) => show(e.currentTarget.value)}
      >
        <option value="plan">planned</option>
        <option value="found">found</option>
        <option value="both">both</option>
      </select>
    {/if}
    {#if sites.list.length}
      <select
        class="side py-0 pr-4.5 pl-1 border border-hair text-[11.5px] h-6 rounded-[3px] bg-transparent bg-position-[right_4px_center] bg-size-[8px] text-inherit"
        aria-label="Site"
        value={sites.chosen}
        onchange={(e) => sites.choose(e.currentTarget.value)}
      >
        <option value="all">every site</option>
        {#each sites.list as s (s)}<option value={s}>{s || "no site"}</option>{/each}
      </select>
    {/if}
    {#if rows.list.length < count}<span class="left text-[11.5px] text-soft min-h-6 leading-6">{rows.list.length} of {count}</span>{/if}
  </span>
  {#each groups as g (g.device.name)}
    <div
      class="device"
      aria-hidden="true"
      style:left={`calc(var(--names) + ${g.x}px)`}
      style:width={`${g.width}px`}
      data-tip={`${g.device.name}: ${g.device.kind}, ${forwarded(g.device.forwarding)}${g.device.follows ? `, follows ${g.device.follows}` : ""}`}
    >
      <b>{g.device.name}</b>
    </div>
  {/each}
  {#each columns as c, i (c.ports[0])}
    <span
      role="columnheader"
      class={["port", mark(c)]}
      class:blank={c.blank}
      class:picked={from + i >= selection.left && from + i <= selection.right}
      data-row="-1"
      data-column={from + i}
      style:left={`calc(var(--names) + ${c.x}px)`}
      style:width={`${c.width}px`}
      data-tip={hint(c)}
    >
      <span class="label mono"
        ><span class="sr-only">{c.device}</span> {mark(c) ? "!" : ""}{departs(c) ? "≠" : ""}{other(c) ? "~" : ""}{c.label}</span
      >
    </span>
  {/each}
  {#each uses as u (u.x)}
    <span
      class="use"
      aria-hidden="true"
      style:left={`calc(var(--names) + ${u.x + 1}px)`}
      style:width={`${u.width - 2}px`}
      data-tip={`use ${u.name}`}>{short(u.name, u.width)}</span
    >
  {/each}
</div>

<style>
  .filter::placeholder {
    color: var(--soft);
    opacity: 1;
  }
  .device {
    position: absolute;
    top: 2px;
    height: 23px;
    border: solid var(--ink);
    border-width: 2px 2px 0;
    border-image: linear-gradient(var(--ink) 0 8px, transparent 8px) 2;
    margin-top: 17px;
  }
  .device b {
    position: absolute;
    top: -19px;
    left: -1px;
    font-size: 12.5px;
    font-weight: 650;
    max-width: calc(100% + 8px);
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .port {
    position: absolute;
    top: 22px;
    height: 50px;
    cursor: default;
    contain: layout size style;
  }
  .label {
    position: absolute;
    left: 50%;
    bottom: 3px;
    transform-origin: 0 100%;
    transform: translateX(5px) rotate(-58deg);
    white-space: nowrap;
    font-size: 11px;
    line-height: 1;
    max-width: 47px;
    overflow: hidden;
    text-overflow: ellipsis;
    color: var(--ink);
  }
  .use {
    position: absolute;
    top: 73px;
    height: 14px;
    font-size: 9.5px;
    line-height: 11px;
    letter-spacing: -0.04em;
    text-align: center;
    color: var(--soft);
    border: solid var(--faint);
    border-width: 0 1px 1px;
    overflow: hidden;
    white-space: nowrap;
  }
  .blank .label {
    color: var(--soft);
    font-size: 10px;
  }
  .breaks .label {
    color: var(--red);
    font-weight: 700;
  }
  .risk .label {
    color: var(--amber);
    font-weight: 700;
  }
  .picked .label {
    text-decoration: underline;
    text-decoration-color: var(--plum);
    text-decoration-thickness: 2px;
  }
</style>
