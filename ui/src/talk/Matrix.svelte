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
  class="scroll border border-hair overflow-auto max-h-[62vh] bg-panel w-[fit-content] max-w-full"
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
        <th
          class="px-2 py-1 border-b-[1.5px] border-ink font-normal bg-panel sticky top-0 align-bottom left-0 z-3 text-[11px] text-soft text-right"
          role="columnheader"><span class="float-left">from</span><span>to</span></th
        >
        {#each rows[0] ?? [] as c (c.to)}
          <th
            class="to pt-1.5 border-b-[1.5px] border-ink font-normal bg-panel sticky z-1 top-0 align-bottom text-center text-[12px]"
            role="columnheader"
            class:on={c.to === chosen.to}
            style:--vlan={hue(c.to)}
          >
            <span class="name [margin:0_auto_4px] [writing-mode:vertical-rl] rotate-180 max-h-23 block">{name(c.to)}</span><b class="mono"
              >{c.to || "out"}</b
            ><i class="mx-0.75 mt-0.75 block h-1 bg-(--vlan)"></i>
          </th>
        {/each}
      </tr>
    </thead>
    <tbody>
      {#each rows as row (row[0]!.from)}
        <!-- svelte-ignore a11y_no_redundant_roles -->
        <tr role="row">
          <th
            class="from pr-3 pl-2 border-r border-hair font-normal bg-panel sticky left-0 z-2 text-left text-[13px] whitespace-nowrap"
            role="rowheader"
            class:on={row[0]!.from === chosen.from}
            style:--vlan={hue(row[0]!.from)}
          >
            <i class="mr-1.5 inline-block w-1.25 h-3.25 bg-(--vlan) [vertical-align:-1px]"></i><b class="mono">{row[0]!.from || ""}</b>
            <span class="narrow:overflow-hidden narrow:inline-block narrow:max-w-18.5 narrow:text-ellipsis narrow:align-bottom"
              >{name(row[0]!.from)}</span
            >
          </th>
          {#each row as c (c.to)}
            {@const bad = c.wishes.some((w) => !w.holds)}
            <td
              role="gridcell"
              id={`talk-${c.from}-${c.to}`}
              aria-selected={c.from === chosen.from && c.to === chosen.to}
              aria-label={says(c, name)}
              data-tip={says(c, name)}
              class={["p-0.5 border-b border-hair relative w-10 min-w-10 h-7.5 cursor-default narrow:w-8.5 narrow:min-w-8.5", c.verdict]}
              class:bad
              class:marked={c.wishes.length}
              class:gains={c.shift?.gains.length}
              class:loses={c.shift?.loses.length}
              style:--vlan={hue(c.from)}
              onmousedown={() => onchoose(c.from, c.to)}
            >
              <span class="block mono grid place-items-center h-full text-[12px] font-[650]"
                >{c.verdict === "part" ? counted(c) : c.verdict === "no" ? "·" : ""}</span
              >
              {#if c.wishes.length}<span
                  class="mono px-0.5 border border-soft absolute top-0 right-0 text-[10.5px] leading-3 font-bold text-ink bg-panel"
                  class:broken={bad}
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
  .scroll :global(table) {
    border-collapse: separate;
    border-spacing: 0;
  }
  .on {
    font-weight: 700;
    background: var(--plum-wash);
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
</style>
