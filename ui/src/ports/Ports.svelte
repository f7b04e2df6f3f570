<!-- The office as the list that everybody keeps: a row a port, typed in place like a spreadsheet. -->
<script lang="ts">
  import { Button, Input, Select, Table } from "flowbite-svelte";
  import { tick, untrack } from "svelte";
  import { seenRows } from "../board/window";
  import { count } from "../shell/plural";
  import { may } from "../state/may.svelte";
  import { office } from "../state/office.svelte";
  import { pending } from "../state/pending.svelte";
  import { selection } from "../state/selection.svelte";
  import SitePick from "../shell/SitePick.svelte";
  import { sites } from "../state/sites.svelte";
  import { seen } from "../state/seen.svelte";
  import {
    cell,
    columns as every,
    copied,
    fixed,
    grouped,
    groups,
    heads,
    moves,
    pasted,
    rowsOf,
    statements,
    textOf,
    told,
    tsv,
    typed,
    untsv,
    type Column,
    type Group,
    type Row,
    widths,
  } from "./rows";

  const tall = 30; // px, a row

  let filter = $state("");
  let order = $state<"" | Column>("");
  let by = $state<"" | Group>("");
  let down = $state(true);
  let at = $state({ row: 0, column: 3 });
  let to = $state({ row: 0, column: 3 }); // the other corner of the block
  let editing = $state<string | null>(null);
  /** The cell that is typed into, by its port, wherever that stands by now, and what stood there as typing began. */
  let begun = $state.raw({ key: "", column: "hangs" as Column, was: "" });
  let problem = $state("");
  /** What was cut: it moves with the next paste. */
  let cut = $state.raw<{ keys: string[]; text: string } | null>(null);
  let grid = $state<HTMLElement>();
  let scrolled = $state(0);
  let high = $state(600);

  $effect(() => seen.follow());
  const columns = $derived(seen.ports.size ? every : every.filter((c) => !told.includes(c)));
  const all = $derived(
    rowsOf(
      (office.shown?.devices ?? []).filter((d) => sites.has(d.name)),
      seen.ports,
    ),
  );
  const filtered = $derived.by(() => {
    const words = filter.toLowerCase().split(/\s+/).filter(Boolean);
    const list = words.length
      ? all.filter((r) => {
          const text = textOf(r);
          return words.every((w) => text.includes(w));
        })
      : all;
    if (!order) return list;
    const compare = new Intl.Collator(undefined, { numeric: true }).compare;
    const sorted = list.toSorted((a, b) => compare(cell(a, order as Column) || "\uffff", cell(b, order as Column) || "\uffff"));
    return down ? sorted : sorted.toReversed();
  });
  const list = $derived(grouped(filtered, by, (vid) => office.shown?.vlans.find((v) => v.vid === vid)?.name ?? ""));
  const rows = $derived(list.rows);
  /** At which line of the list each row stands. */
  const lineOf = $derived.by(() => {
    const out: number[] = [];
    list.lines.forEach((l, i) => "row" in l && (out[l.row] = i));
    return out;
  });
  const shown = $derived(seenRows(list.lines.length, scrolled, high, tall));
  const block = $derived({
    top: Math.min(at.row, to.row),
    bottom: Math.max(at.row, to.row),
    left: Math.min(at.column, to.column),
    right: Math.max(at.column, to.column),
  });
  const picked = $derived(rows.slice(block.top, block.bottom + 1));
  const pickedColumns = $derived(columns.slice(block.left, block.right + 1));
  const uses = $derived((office.shown?.uses ?? []).map((u) => `use ${u.name}`));

  // Begin where one was on the board.
  $effect(() => {
    const port = untrack(() => selection.ports[0]);
    const row = untrack(() => rows.findIndex((r) => r.key === port));
    if (row >= 0) at = to = { row, column: 3 };
    focus();
  });
  // Where rows come, go or are sorted otherwise, one stays at the port that one was at.
  let stood: [string, string] = ["", ""];
  $effect(() => {
    const now = rows;
    untrack(() => {
      const index = (key: string, was: number) => {
        if (!key || now[was]?.key === key) return was;
        const i = now.findIndex((r) => r.key === key);
        return i < 0 ? Math.min(was, Math.max(0, now.length - 1)) : i;
      };
      const [a, b] = [index(stood[0], at.row), index(stood[1], to.row)];
      if (a !== at.row || b !== to.row)
        [at, to] = [
          { ...at, row: a },
          { ...to, row: b },
        ];
    });
  });
  $effect(() => {
    stood = [rows[at.row]?.key ?? "", rows[to.row]?.key ?? ""];
  });
  // The cell that one is at stays in sight.
  $effect(() => {
    const row = to.row;
    const y = untrack(() => lineOf[row] ?? 0) * tall; // who scrolled away is not called back by what others change
    const id = `p-${to.row}-${to.column}`;
    untrack(() => {
      if (!grid) return;
      void tick().then(() => {
        const td = document.getElementById(id);
        if (!td || !grid) return;
        if (td.offsetLeft < grid.scrollLeft) grid.scrollLeft = td.offsetLeft;
        else if (td.offsetLeft + td.offsetWidth > grid.scrollLeft + grid.clientWidth)
          grid.scrollLeft = td.offsetLeft + td.offsetWidth - grid.clientWidth;
      });
      if (y < grid.scrollTop) grid.scrollTop = y;
      else if (y + 2 * tall + 4 > grid.scrollTop + high) grid.scrollTop = y + 2 * tall + 4 - high;
    });
  });

  const focus = () => grid?.querySelector<HTMLElement>("table")?.focus({ preventScroll: true });

  function go(row: number, column: number, extend = false) {
    to = { row: Math.max(0, Math.min(rows.length - 1, row)), column: Math.max(0, Math.min(columns.length - 1, column)) };
    if (!extend) at = to;
    problem = "";
  }

  /** The list is another one: one begins at its first row. */
  function top() {
    go(0, at.column);
    stood = ["", ""];
  }

  function edit(text?: string) {
    const row = rows[at.row];
    if (!row) return;
    problem = may.plan || fixed(row, columns[at.column]!);
    if (problem) return;
    to = at;
    begun = { key: row.key, column: columns[at.column]!, was: cell(row, columns[at.column]!) };
    editing = text ?? begun.was;
    void tick().then(() => {
      const input = grid?.querySelector<HTMLInputElement>("td input");
      input?.focus();
      if (text === undefined) input?.select();
    });
  }

  async function keep(then?: [number, number]) {
    const text = editing;
    if (text === null) return;
    const row = all.find((r) => r.key === begun.key);
    if (!row) return void (problem = `${begun.key.replace(".", " ")} is no more: what is typed here was for it. Esc leaves it.`);
    const now = cell(row, begun.column);
    if (now !== begun.was && now !== text.trim()) {
      // nobody silently overwrites anybody
      begun = { ...begun, was: now };
      office.typed();
      const says = now ? `it says “${now}” now` : "it is empty now";
      problem = `${office.otherBy || "Somebody"} changed ${row.key.replace(".", " ")} meanwhile: ${says}. Enter puts yours in its place, Esc leaves it.`;
      return;
    }
    let lines: string[];
    try {
      lines = statements(row, begun.column, text);
    } catch (e) {
      problem = e instanceof Error ? e.message : String(e);
      return;
    }
    problem = "";
    if (lines.length) {
      problem = await office.tryLines(lines);
      if (problem) return; // what was typed stays
    }
    editing = null;
    if (then) go(at.row + then[0], at.column + then[1]);
    focus();
  }

  /** Shows what several cells would come to; Enter on the line does it. */
  function propose(lines: string[], says: string, left: string[] = []) {
    problem = left.length ? `${left.slice(0, 3).join(" ")}${left.length > 3 ? ` And ${left.length - 3} more.` : ""}` : "";
    if (lines.length) pending.propose(lines, says, () => ((cut = null), focus()));
    else if (!left.length) problem = "That is as it is already.";
  }

  function gather(text: (row: Row, column: Column) => string, says: string) {
    const lines: string[] = [];
    const left: string[] = [];
    for (const row of picked)
      for (const column of pickedColumns) {
        if (!typed(column)) continue;
        try {
          lines.push(...statements(row, column, text(row, column)));
        } catch (e) {
          left.push(e instanceof Error ? e.message : String(e));
        }
      }
    propose(lines, says, left);
  }

  function keys(e: KeyboardEvent) {
    if (editing !== null) {
      if (e.key === "Enter") void keep([e.shiftKey ? -1 : 1, 0]);
      else if (e.key === "Tab") void keep([0, e.shiftKey ? -1 : 1]);
      else if (e.key === "Escape") {
        editing = null;
        problem = "";
        focus();
      } else return;
      e.preventDefault();
      e.stopPropagation();
      return;
    }
    const page = Math.max(1, Math.floor(high / tall) - 2);
    const step: Record<string, [number, number]> = {
      ArrowUp: [-1, 0],
      ArrowDown: [1, 0],
      ArrowLeft: [0, -1],
      ArrowRight: [0, 1],
      PageUp: [-page, 0],
      PageDown: [page, 0],
    };
    const way = step[e.key];
    if (way) go(to.row + way[0], to.column + way[1], e.shiftKey);
    else if (e.key === "Home") go(e.ctrlKey ? 0 : to.row, 0, e.shiftKey);
    else if (e.key === "End") go(e.ctrlKey ? rows.length - 1 : to.row, columns.length - 1, e.shiftKey);
    else if (e.key === "Enter" || e.key === "F2") edit();
    else if (e.key === "Delete" || e.key === "Backspace") {
      if (!may.plan) gather(() => "", `Empty ${count(picked.length * pickedColumns.length, "cell", "cells")}`);
    } else if (e.key === "d" && (e.ctrlKey || e.metaKey)) {
      const first = picked[0];
      if (first && !may.plan) gather((_, c) => cell(first, c), `Fill down ${count(picked.length, "row", "rows")}`);
    } else if (e.key === "Escape" && cut) cut = null;
    else if (e.key.length === 1 && !e.ctrlKey && !e.metaKey && !e.altKey && e.key !== "/" && e.key !== "?" && e.key !== " ") edit(e.key);
    else return;
    e.preventDefault();
    e.stopPropagation();
  }

  function copy(e: ClipboardEvent, moving: boolean) {
    if (editing !== null || !e.clipboardData || !picked.length) return;
    const table = copied(picked, pickedColumns);
    const text = tsv(table);
    const html = document.createElement("table");
    for (const line of table) {
      const tr = html.insertRow();
      for (const text of line) tr.insertCell().textContent = text;
    }
    e.clipboardData.setData("text/plain", text);
    e.clipboardData.setData("text/html", html.outerHTML);
    e.preventDefault();
    cut = moving && pickedColumns.includes("hangs") ? { keys: picked.map((r) => r.key), text } : null;
    problem = moving && !cut ? "What hangs somewhere is moved by cutting it; other cells are copied." : "";
  }

  function paste(e: ClipboardEvent) {
    if (editing !== null || !e.clipboardData) return;
    e.preventDefault();
    if ((problem = may.plan)) return;
    const text = e.clipboardData.getData("text/plain");
    if (cut && text.replace(/\r\n?/g, "\n") === cut.text) {
      const from = cut.keys.map((k) => all.find((r) => r.key === k)).filter((r) => r !== undefined);
      return move(from, block.top);
    }
    const table = untsv(text);
    const r = pasted(rows, { row: block.top, column: block.left }, table);
    const lines = table.length - (table[0]?.includes(heads.device) ? 1 : 0);
    propose(r.lines, `Paste ${count(lines, "row", "rows")}`, r.left);
  }

  /** What hangs at some ports goes to as many others, from a row on. */
  function move(from: Row[], at: number) {
    const target = rows.slice(at, at + from.length);
    const there = target.flatMap((r) => (from.some((f) => f.key === r.key) ? [] : (r.port.plugs ?? []).map((g) => g.name)));
    const names = from.flatMap((r) => (r.port.plugs ?? []).map((g) => g.name));
    if (!names.length) return void (problem = "Nothing hangs there that could move.");
    propose(
      moves(from, target),
      `Move ${names.length === 1 ? names[0] : `${names.length} that hang there`} to ${target[0]?.key.replace(".", " ") ?? "nowhere"}${from.length > 1 ? " and on" : ""}`,
      [
        ...(there.length
          ? [`${there.slice(0, 3).join(", ")}${there.length > 3 ? " and others" : ""} hang there already, and stay beside it.`]
          : []),
        ...(target.length < from.length ? [`There is no row for ${from.length - target.length} of them.`] : []),
      ],
    );
  }

  /** Rows that are dragged by their port, and the row that they are over. */
  let carried = $state.raw<Row[]>([]);
  let over = $state(-1);
  function carry(e: DragEvent) {
    const s = spot(e);
    if (!s || may.plan || editing !== null) return e.preventDefault();
    dragging = false;
    carried = s[0] >= block.top && s[0] <= block.bottom ? picked : rows.slice(s[0], s[0] + 1);
    e.dataTransfer?.setData("text/plain", carried.map((r) => cell(r, "hangs")).join("\n"));
  }
  function drop(e: DragEvent) {
    e.preventDefault();
    const s = spot(e);
    if (s && carried.length) move(carried, s[0]);
    carried = [];
    over = -1;
  }

  function spot(e: MouseEvent): [number, number] | null {
    const td = (e.target as Element).closest<HTMLElement>("td[data-column]");
    return td ? [Number(td.dataset.row), Number(td.dataset.column)] : null;
  }
  let dragging = false;
</script>

<div class="ports px-7 pt-4 pb-3 gap-2 flex flex-col min-h-0 flex-1 narrow:px-3 narrow:py-2.5">
  <header class="gap-y-2 gap-x-3 flex flex-wrap items-center">
    <h1>Ports</h1>
    <Input
      class="field"
      type="search"
      bind:value={filter}
      placeholder="filter: a name, a socket, a VLAN"
      aria-label="Filter the ports"
      oninput={top}
    />
    <label
      >sort by <Select placeholder="" classes={{ select: "field" }} bind:value={order} aria-label="Sort by" onchange={top}
        ><option value="">device</option>{#each columns.slice(2) as c (c)}<option value={c}>{heads[c].toLowerCase()}</option>{/each}</Select
      ></label
    >
    <Button onclick={() => (down = !down)} disabled={!order} aria-label="Turn the order round">{down ? "↓" : "↑"}</Button>
    <label
      >group by <Select placeholder="" classes={{ select: "field" }} bind:value={by} aria-label="Group by" onchange={top}
        ><option value="">nothing</option>{#each groups as g (g)}<option value={g}>{g === "vlan" ? "VLAN" : g}</option>{/each}</Select
      ></label
    >
    <SitePick />
    <span class="soft">{count(rows.length, "port", "ports")}{rows.length < all.length ? ` of ${all.length}` : ""}</span>
  </header>
  <p class="lead low:hidden">
    Type like in a spreadsheet; blocks go to any spreadsheet and come back. What hangs somewhere:
    <span class="mono">pc; phone [140]</span>. Cut and paste moves it, or drag it by its port.
  </p>
  {#if problem}<p class="wrong" role="alert" id="ports-problem">{problem}</p>{/if}
  <!-- svelte-ignore a11y_no_static_element_interactions, a11y_mouse_events_have_key_events -->
  <div
    class="grid border border-hair overflow-auto flex-1 min-h-30 bg-panel"
    bind:this={grid}
    bind:clientHeight={high}
    onscroll={() => (scrolled = grid?.scrollTop ?? 0)}
    onkeydown={keys}
    oncopy={(e) => copy(e, false)}
    oncut={(e) => copy(e, true)}
    onpaste={paste}
    onmousedown={(e) => {
      const s = spot(e);
      if (!s || editing !== null) return;
      // A block is carried by the port of one of its rows: pressing there leaves it as it is.
      const held = columns[s[1]] === "port" && s[0] >= block.top && s[0] <= block.bottom && !e.shiftKey && picked.length > 1;
      if (!held) go(s[0], s[1], e.shiftKey);
      dragging = !(e.target as Element).closest("td")?.draggable;
    }}
    onmouseover={(e) => {
      const s = dragging ? spot(e) : null;
      if (s) go(s[0], s[1], true);
    }}
    onmouseup={() => (dragging = false)}
    ondragstart={carry}
    ondragover={(e) => {
      if (!carried.length) return;
      e.preventDefault();
      over = spot(e)?.[0] ?? -1;
    }}
    ondragend={() => ((carried = []), (over = -1))}
    ondrop={drop}
    ondblclick={(e) => spot(e) && editing === null && edit()}
  >
    <Table
      role="grid"
      id="ports"
      aria-label="Ports"
      aria-rowcount={list.lines.length + 1}
      aria-colcount={columns.length}
      data-told={columns.length === every.length || undefined}
      aria-multiselectable="true"
      aria-activedescendant={`p-${to.row}-${to.column}`}
      tabindex={0}
      classes={{ div: "overflow-visible" }}
    >
      <colgroup
        >{#each columns as c (c)}<col style:width={widths[c]} />{/each}</colgroup
      >
      <thead>
        <tr aria-rowindex={1}
          >{#each columns as c (c)}<th class="px-2 py-1 border-b border-ink sticky top-0 z-2 bg-panel text-left" scope="col">{heads[c]}</th
            >{/each}</tr
        >
      </thead>
      <tbody>
        {#if shown.from}<tr aria-hidden="true"
            ><td
              class="px-2 border-b border-hair overflow-hidden h-7.5 whitespace-nowrap text-ellipsis cursor-cell"
              colspan={columns.length}
              style:height={`${shown.from * tall}px`}
            ></td></tr
          >{/if}
        {#each list.lines.slice(shown.from, shown.to) as line, i ("row" in line ? rows[line.row]!.key : `= ${line.head}`)}
          {#if "head" in line}
            <tr class="together" aria-rowindex={shown.from + i + 2}
              ><th
                class="px-2 border-b border-ink top-0 z-2 bg-panel text-left static h-7.5 font-bold"
                scope="rowgroup"
                colspan={columns.length}
                >{line.head} <span class="ml-1.5 font-normal text-soft">{count(line.count, "port", "ports")}</span></th
              ></tr
            >
          {:else}
            {@const r = line.row}
            {@const row = rows[r]!}
            <tr
              aria-rowindex={shown.from + i + 2}
              class:first={!order && !by && r > 0 && rows[r - 1]?.device !== row.device}
              class:cut={cut?.keys.includes(row.key)}
              class:over={over >= 0 && r >= over && r < over + carried.length}
            >
              {#each columns as c, k (c)}
                {@const here = r === at.row && k === at.column}
                <td
                  id={`p-${r}-${k}`}
                  data-row={r}
                  data-column={k}
                  data-cell={`${row.key} ${c}`}
                  class={["px-2 py-0 border-b border-hair overflow-hidden h-7.5 whitespace-nowrap text-ellipsis cursor-cell", c]}
                  class:here
                  class:among={r >= block.top && r <= block.bottom && k >= block.left && k <= block.right}
                  class:keys={!typed(c)}
                  draggable={(c === "port" && !!row.port.plugs?.length) || undefined}
                  aria-selected={r >= block.top && r <= block.bottom && k >= block.left && k <= block.right}
                  aria-readonly={!typed(c) || undefined}
                  data-tip={cell(row, c).length > 28 ? cell(row, c) : undefined}
                >
                  {#if editing !== null && row.key === begun.key && c === begun.column}
                    <Input
                      class="field px-1 py-0 w-full h-6.5 min-h-0"
                      bind:value={editing}
                      list={c === "shape" ? "ports-shapes" : undefined}
                      aria-label={`${heads[c]} of ${row.key.replace(".", " ")}`}
                      aria-invalid={!!problem}
                      aria-describedby={problem ? "ports-problem" : undefined}
                      onblur={() => editing !== null && !problem && void keep()}
                      spellcheck="false"
                    />
                  {:else}{cell(row, c)}{/if}
                </td>
              {/each}
            </tr>
          {/if}
        {:else}
          <tr
            ><td
              colspan={columns.length}
              class="none px-2 border-b border-hair overflow-hidden h-7.5 whitespace-nowrap text-ellipsis cursor-cell text-soft"
            >
              {all.length
                ? `No port has “${filter}” in it.`
                : "No device yet: add one in Devices, or bring your own list at the start page."}
            </td></tr
          >
        {/each}
        {#if shown.to < list.lines.length}<tr aria-hidden="true"
            ><td
              class="px-2 border-b border-hair overflow-hidden h-7.5 whitespace-nowrap text-ellipsis cursor-cell"
              colspan={columns.length}
              style:height={`${(list.lines.length - shown.to) * tall}px`}
            ></td></tr
          >{/if}
      </tbody>
    </Table>
  </div>
  <datalist id="ports-shapes"
    >{#each uses as u (u)}<option value={u}></option>{/each}</datalist
  >
</div>

<style>
  header :global(input) {
    width: 240px;
  }
  .grid :global(table) {
    table-layout: fixed;
    width: 100%;
    min-width: 1040px;
    border-collapse: separate;
    border-spacing: 0;
  }
  .grid :global(table[data-told]) {
    min-width: 1380px;
  }
  .first td {
    border-top: 2px solid var(--ink);
  }
  td.keys {
    color: var(--soft);
  }
  td[draggable] {
    cursor: grab;
  }
  .over td {
    box-shadow: inset 0 2px 0 var(--plum);
  }
  td.device {
    font-weight: 650;
    color: var(--ink);
  }
  td.port,
  td.shape,
  td.socket,
  td.speed {
    font-family: var(--font-mono);
    font-size: 13px;
  }
  td.among {
    background: var(--plum-wash);
  }
  .grid:focus-within td.here {
    box-shadow: inset 0 0 0 2px var(--plum);
  }
  .cut td.hangs {
    outline: 1px dashed var(--plum);
    outline-offset: -3px;
  }
</style>
