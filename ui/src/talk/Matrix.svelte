<script lang="ts">
  import { Table } from "flowbite-svelte";
  import { hues } from "../state/hues.svelte";
  import { counted, says, type TalkCell } from "./table";

  let {
    rows,
    name,
    chosen,
    onchoose,
    onkey,
  }: {
    rows: TalkCell[][];
    name: (vid: number) => string;
    chosen: { from: number; to: number };
    onchoose: (from: number, to: number) => void;
    onkey: (e: KeyboardEvent) => void;
  } = $props();

  const at = $derived({
    row: Math.max(
      0,
      rows.findIndex((r) => r[0]?.from === chosen.from),
    ),
    col: Math.max(0, rows[0]?.findIndex((c) => c.to === chosen.to) ?? 0),
  });
  let grid: HTMLElement | undefined = $state();

  function keys(e: KeyboardEvent) {
    const step = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] }[e.key];
    if (!step || e.ctrlKey || e.metaKey || e.altKey) {
      if (e.key === "Home" || e.key === "End") {
        e.preventDefault();
        const row = rows[at.row]!;
        onchoose(chosen.from, row[e.key === "Home" ? 0 : row.length - 1]!.to);
      } else onkey(e);
      return;
    }
    e.preventDefault();
    const c = rows[Math.min(rows.length - 1, Math.max(0, at.row + step[0]!))]?.[Math.min(rows.length - 1, Math.max(0, at.col + step[1]!))];
    if (!c) return;
    onchoose(c.from, c.to);
    requestAnimationFrame(() => grid?.querySelector('[aria-selected="true"]')?.scrollIntoView({ block: "nearest", inline: "nearest" }));
  }
  const hue = (vid: number) => (vid ? hues.of.get(vid) : "var(--soft)");
</script>

<!-- svelte-ignore a11y_no_noninteractive_tabindex -->
<div
  class="scroll"
  role="grid"
  aria-label="Who may talk to whom: rows from, columns to"
  aria-activedescendant={`talk-${chosen.from}-${chosen.to}`}
  tabindex="0"
  id="talk"
  bind:this={grid}
  onkeydown={keys}
>
  <Table role="presentation" classes={{ div: "overflow-visible" }}>
    <thead>
      <!-- svelte-ignore a11y_no_redundant_roles -->
      <tr role="row">
        <th class="corner" role="columnheader"><span>from</span><span>to</span></th>
        {#each rows[0] ?? [] as c (c.to)}
          <th class="to" role="columnheader" class:on={c.to === chosen.to} style:--vlan={hue(c.to)}>
            <span class="name">{name(c.to)}</span><b class="mono">{c.to || "out"}</b><i></i>
          </th>
        {/each}
      </tr>
    </thead>
    <tbody>
      {#each rows as row (row[0]!.from)}
        <!-- svelte-ignore a11y_no_redundant_roles -->
        <tr role="row">
          <th class="from" role="rowheader" class:on={row[0]!.from === chosen.from} style:--vlan={hue(row[0]!.from)}>
            <i></i><b class="mono">{row[0]!.from || ""}</b> <span>{name(row[0]!.from)}</span>
          </th>
          {#each row as c (c.to)}
            {@const bad = c.wishes.some((w) => !w.holds)}
            <td
              role="gridcell"
              id={`talk-${c.from}-${c.to}`}
              aria-selected={c.from === chosen.from && c.to === chosen.to}
              aria-label={says(c, name)}
              data-tip={says(c, name)}
              class={c.verdict}
              class:bad
              class:marked={c.wishes.length}
              class:gains={c.shift?.gains.length}
              class:loses={c.shift?.loses.length}
              style:--vlan={hue(c.from)}
              onmousedown={() => onchoose(c.from, c.to)}
            >
              <span class="block mono">{c.verdict === "part" ? counted(c) : c.verdict === "no" ? "·" : ""}</span>
              {#if c.wishes.length}<span class="mark mono" class:broken={bad}
                  >{bad ? "!" : ""}{c.wishes.some((w) => w.must) ? "+" : ""}{c.wishes.some((w) => !w.must) ? "−" : ""}</span
                >{/if}
            </td>
          {/each}
        </tr>
      {/each}
    </tbody>
  </Table>
</div>

<style>
  .scroll {
    overflow: auto;
    max-height: 62vh;
    background: var(--panel);
    border: 1px solid var(--hair);
    width: fit-content;
    max-width: 100%;
  }
  .scroll :global(table) {
    border-collapse: separate;
    border-spacing: 0;
  }
  th {
    font-weight: 400;
    background: var(--panel);
    position: sticky;
    z-index: 1;
  }
  thead th {
    top: 0;
    border-bottom: 1.5px solid var(--ink);
    vertical-align: bottom;
  }
  .corner {
    left: 0;
    z-index: 3;
    font-size: 11px;
    color: var(--soft);
    padding: 4px 8px;
    text-align: right;
  }
  .corner span:first-child {
    float: left;
  }
  .to {
    padding: 6px 0 0;
    text-align: center;
    font-size: 12px;
  }
  .to .name {
    writing-mode: vertical-rl;
    transform: rotate(180deg);
    max-height: 92px;
    margin: 0 auto 4px;
    display: block;
  }
  .to i {
    display: block;
    height: 4px;
    margin: 3px 3px 0;
    background: var(--vlan);
  }
  .from {
    left: 0;
    z-index: 2;
    text-align: left;
    padding: 0 12px 0 8px;
    font-size: 13px;
    white-space: nowrap;
    border-right: 1px solid var(--hair);
  }
  .from i {
    display: inline-block;
    width: 5px;
    height: 13px;
    margin-right: 6px;
    background: var(--vlan);
    vertical-align: -1px;
  }
  .on {
    font-weight: 700;
    background: var(--plum-wash);
  }
  td {
    position: relative;
    width: 40px;
    min-width: 40px;
    height: 30px;
    padding: 2px;
    border-bottom: 1px solid var(--hair);
    cursor: default;
  }
  .block {
    display: grid;
    place-items: center;
    height: 100%;
    font-size: 12px;
    font-weight: 650;
  }
  .marked .block {
    place-items: end start;
    padding: 0 0 1px 4px;
  }
  .no .block {
    color: var(--faint);
  }
  .yes .block {
    background: var(--vlan);
  }
  .part .block {
    border: 1px solid var(--vlan);
    background: repeating-linear-gradient(135deg, color-mix(in srgb, var(--vlan) 26%, transparent) 0 3px, transparent 3px 7px) var(--panel);
    color: var(--ink);
  }
  .self .block {
    background: linear-gradient(to top right, transparent 47%, var(--hair) 47% 53%, transparent 53%);
  }
  .mark {
    position: absolute;
    top: 0;
    right: 0;
    font-size: 10.5px;
    line-height: 12px;
    padding: 0 2px;
    font-weight: 700;
    color: var(--ink);
    background: var(--panel);
    border: 1px solid var(--soft);
  }
  .broken {
    color: var(--on-vlan);
    background: var(--red);
    border-color: var(--red);
  }
  [aria-selected="true"] {
    outline: 2px solid var(--plum);
    outline-offset: -2px;
  }
  .gains,
  .loses {
    outline: 2px dashed var(--ink);
    outline-offset: -3px;
  }
  .gains::after,
  .loses::after {
    position: absolute;
    left: 2px;
    bottom: 0;
    font-size: 11px;
    line-height: 12px;
    font-weight: 700;
    background: var(--panel);
    padding: 0 2px;
  }
  .gains::after {
    content: "▲";
  }
  .loses::after {
    content: "▼";
  }
  @media (max-width: 700px) {
    .from span {
      display: inline-block;
      max-width: 74px;
      overflow: hidden;
      text-overflow: ellipsis;
      vertical-align: bottom;
    }
    td {
      width: 34px;
      min-width: 34px;
    }
  }
</style>
