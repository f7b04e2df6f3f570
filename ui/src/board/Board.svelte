<script lang="ts">
  import First from "../shell/First.svelte";
  import { onMount, untrack } from "svelte";
  import "./cells.css";
  import { found } from "../state/found.svelte";
  import { office } from "../state/office.svelte";
  import { panels } from "../state/panels.svelte";
  import { rows } from "../state/rows.svelte";
  import { sites } from "../state/sites.svelte";
  import { selection } from "../state/selection.svelte";
  import Cables from "./Cables.svelte";
  import Cells from "./Cells.svelte";
  import { chunks, type Chunk } from "./cells";
  import Heads from "./Heads.svelte";
  import Index from "./Index.svelte";
  import Marks from "./Marks.svelte";
  import RowName from "./RowName.svelte";
  import { layout, worst } from "./fold";
  import { colours } from "./hue";
  import { boardKey } from "./keys";
  import { brackets, lowest } from "./lanes";
  import { covers, seenColumns, seenRows } from "./window";

  const names = 178;
  const lowRow = 22;
  let room = $state(1280);
  let height = $state(470);
  let scrolled = $state.raw({ left: 0, top: 0 });
  let grid: HTMLElement;
  let scroller: HTMLElement;
  let dragging = false;

  const view = $derived(office.shown!);
  const order = $derived(sites.chosen === "all" ? view.order : view.order.filter(sites.has));
  const plan = $derived(layout(view.devices, order, selection.unfolded, room - names - 2, found.ports));
  const marks = $derived(worst(view.findings));
  const hues = $derived(colours(view.vlans));
  const lit = $derived(new Set(selection.explained?.reach?.ports ?? []));
  const cut = $derived(new Set(selection.explained?.reach?.cut ?? []));
  const current = $derived(selection.vlan?.vid);
  const drawn = $derived(brackets(view.links, plan.columns, plan.width));
  const lanes = $derived(Math.max(0, ...drawn.map((b) => b.lane + 1)));
  const heads = $derived(plan.columns.some((c) => c.port.use) ? 88 : 72);
  const wide = $derived(plan.width + names > room);
  // Where that brings the cables into the window, rows are a little lower.
  const tall = $derived.by(() => {
    const left = height - heads - (lanes * lowest + 18) - 2;
    return rows.list.length * 26 <= left || rows.list.length * lowRow > left ? 26 : Math.floor((2 * left) / rows.list.length) / 2;
  });
  $effect(() => {
    panels.board = heads + rows.list.length * lowRow + lanes * lowest + 22;
  });
  const body = $derived(rows.list.length * tall);

  // Only what is seen is drawn; the runs are numbers, so that a small move of
  // the window asks nothing again.
  const across = $derived(seenColumns(plan.columns, scrolled.left, room - names));
  const down = $derived(seenRows(rows.list.length, Math.max(0, scrolled.top - heads), height, tall));
  const fromColumn = $derived(across.from);
  const toColumn = $derived(across.to);
  const columns = $derived(plan.columns.slice(fromColumn, toColumn));
  let cutBefore: Chunk[] = [];
  const runs = $derived((cutBefore = chunks(plan.columns, fromColumn, toColumn, cutBefore)));
  // As one scrolls, rows are given new columns in turns, a turn a frame: a step of the window is
  // never one long frame. What is edited, or seen at once, is given at once.
  const turns = 4;
  let given = $state.raw<Chunk[][]>([]);
  let givenOf: typeof plan.columns = [];
  let turn = 0;
  $effect.pre(() => {
    const now = runs;
    const of = plan.columns;
    untrack(() => {
      cancelAnimationFrame(turn);
      const all = of !== givenOf || !given.every((g) => covers(g, across, of.length));
      givenOf = of;
      let k = all ? turns : 1;
      const give = () => {
        given = Array.from({ length: turns }, (_, i) => (i < k ? now : given[i]!));
        if (k++ < turns) turn = requestAnimationFrame(give);
      };
      give();
    });
  });
  const fromRow = $derived(down.from);
  const toRow = $derived(down.to);
  const shownRows = $derived(rows.list.slice(fromRow, toRow));
  const active = $derived.by(() => {
    const { row, column } = selection.cursor;
    return row >= fromRow && row < toRow && column >= fromColumn && column < toColumn ? `c-${row}-${column}` : undefined;
  });

  $effect(() => {
    selection.columns = plan.columns;
  });
  $effect(() => {
    office.looking = selection.look;
    return () => (office.looking = null);
  });
  $effect(() => {
    // read what the question depends on, then ask
    void [view.revision, selection.ports, selection.vlan];
    void selection.explain();
  });
  // Only a move scrolls: reading the scroll position after an edit would make
  // the browser lay the page out at once.
  $effect(() => {
    const { row, column } = selection.cursor;
    untrack(() => {
      const c = plan.columns[column];
      if (!c || !scroller) return;
      const { left, top } = scrolled;
      const across = room - names;
      // A device comes into view whole, or, where it is wider than that, from its first column on.
      const of = plan.groups.find((g) => g.columns.includes(c));
      const fits = of && of.width <= across - 40;
      const from = fits ? of.x : c.x;
      const to = fits ? of.x + of.width : of?.columns[0] === c ? c.x + across - 40 : c.x + c.width;
      if (wide && c.x < left + 4) scroller.scrollLeft = from - 20;
      else if (wide && c.x + c.width > left + across) scroller.scrollLeft = to - across + 20;
      const y = row * tall;
      if (y < top) scroller.scrollTop = y;
      else if (heads + y + tall > top + height - 30) scroller.scrollTop = heads + y + tall - height + 30;
    });
  });

  // Where to begin: where one was, else at the first thing that is wrong.
  onMount(() => {
    selection.columns = plan.columns;
    const first = view.findings.find((f) => f.ports.length);
    if (first && !selection.cursor.row && !selection.cursor.column) selection.goTo(first.ports[0]!, first.vlans[0]);
    if (!office.askName) grid.focus({ preventScroll: true });
  });

  function keys(e: KeyboardEvent) {
    if (!boardKey(e, plan)) return;
    e.preventDefault();
    e.stopPropagation();
  }
  function spot(e: PointerEvent): [number, number] | null {
    const cell = (e.target as Element).closest<HTMLElement>("[data-column]");
    return cell ? [Number(cell.dataset.row), Number(cell.dataset.column)] : null;
  }
  function press(e: PointerEvent) {
    const at = spot(e);
    if (!at || e.button !== 0) return;
    const row = at[0] < 0 ? selection.cursor.row : at[0];
    selection.go(row, at[1], e.shiftKey);
    dragging = true;
    grid.focus({ preventScroll: true });
  }
  function over(e: PointerEvent) {
    const at = dragging && e.buttons === 1 ? spot(e) : null;
    if (at) selection.go(at[0] < 0 ? selection.cursor.row : at[0], at[1], true);
  }
</script>

<svelte:window onpointerup={() => (dragging = false)} />

<div
  class="board min-w-0 min-h-0 bg-panel flex flex-col"
  style:--names={`${names}px`}
  style:--tall={`${tall}px`}
  style:--heads={`${heads}px`}
>
  {#if wide}<Index {plan} {marks} left={scrolled.left} room={room - names} />{/if}
  <div
    class="scroll overflow-auto flex-1 min-h-0 select-none"
    bind:this={scroller}
    bind:clientWidth={room}
    bind:clientHeight={height}
    onscroll={() => (scrolled = { left: scroller.scrollLeft, top: scroller.scrollTop })}
  >
    <div class="sheet" style:width={`${names + plan.width}px`}>
      <div
        role="grid"
        id="board"
        tabindex="0"
        bind:this={grid}
        aria-label="Memberships: VLANs in rows, ports in columns"
        aria-multiselectable="true"
        aria-rowcount={rows.list.length + 1}
        aria-colcount={plan.columns.length + 1}
        aria-activedescendant={active}
        onkeydown={keys}
        onpointerdown={press}
        onpointerover={over}
        ondblclick={() => selection.toggleFold()}
      >
        <Heads {plan} {columns} from={fromColumn} {marks} count={view.vlans.length} />
        <div class="rows relative" role="rowgroup" style:height={`${body}px`}>
          {#each shownRows as v, i (v.vid)}
            {@const r = fromRow + i}
            <div
              class="row"
              class:lit={v.vid === current}
              class:stripe={r % 2 === 0}
              role="row"
              aria-rowindex={r + 2}
              style:--vlan={hues.get(v.vid)}
              style:top={`${r * tall}px`}
            >
              <RowName vlan={v} onpick={() => selection.go(r, selection.cursor.column)} />
              {#each given[r % turns] ?? runs as run (run.from)}
                <Cells chunk={run} vlan={v} row={r} lit={v.vid === current ? lit : null} cut={v.vid === current ? cut : null} />
              {/each}
            </div>
          {/each}
          <Marks {plan} {tall} />
        </div>
      </div>
      {#if !view.devices.length}<First
          what="The board has a row for each VLAN and a column for each port: whoever is in it stands where they cross, and brackets below are cables."
        />{/if}
      {#if view.unlisted}<p class="more px-3 py-0.75 sticky left-0 w-max text-[12px] text-soft">
          and {view.unlisted} more VLANs on ports that the register does not know
        </p>{/if}
      <Cables {plan} {names} {drawn} {lanes} room={height - heads - body} />
    </div>
  </div>
</div>

<style>
  /* The selection is the focus: it stands out while the board has the keys. */
  #board:focus-visible {
    outline: 0;
  }
  .sheet {
    position: relative;
    min-width: 100%;
  }
  .row {
    position: absolute;
    left: 0;
    right: 0;
    height: var(--tall);
    background: var(--panel);
    contain: layout size style;
  }
  .stripe {
    background: var(--stripe);
  }
  .row.lit {
    background: var(--plum-wash);
  }
</style>
