<script lang="ts">
  import { onMount, tick, untrack } from "svelte";
  import { office } from "../state/office.svelte";
  import { selection } from "../state/selection.svelte";
  import { pending } from "../state/pending.svelte";
  import Cables from "./Cables.svelte";
  import Cell from "./Cell.svelte";
  import Heads from "./Heads.svelte";
  import RowName from "./RowName.svelte";
  import { layout, worst } from "./fold";
  import { colours } from "./hue";

  const names = 178;
  let room = $state(1280);
  let height = $state(470);
  let grid: HTMLElement;
  let scroller: HTMLElement;
  let dragging = false;

  const view = $derived(office.view!);
  const plan = $derived(layout(view.devices, view.order, selection.unfolded, room - names - 2));
  const marks = $derived(worst(view.findings));
  const hues = $derived(colours(view.vlans));
  const lit = $derived(new Set(selection.explained?.reach?.ports ?? []));
  const cut = $derived(new Set(selection.explained?.reach?.cut ?? []));
  const current = $derived(selection.vlan?.vid);

  const splits = $derived(new Set(view.findings.filter((f) => f.code === "split").map((f) => f.vlans[0])));
  const picked = $derived.by(() => {
    const from = plan.columns[selection.left];
    const to = plan.columns[selection.right];
    return from && to && !selection.cable ? { x: from.x, width: to.x + to.width - from.x } : null;
  });

  $effect(() => {
    selection.columns = plan.columns;
  });
  $effect(() => {
    // read what the question depends on, then ask
    void [view.revision, selection.ports, selection.vlan];
    void selection.explain();
  });
  // Only a move scrolls: reading the scroll position after an edit would make
  // the browser lay the page out at once.
  $effect(() => {
    const at = selection.cursor.column;
    untrack(() => {
      const c = plan.columns[at];
      if (!c || !scroller || plan.width + names <= room) return;
      const wide = room - names;
      if (c.x < scroller.scrollLeft + 4) scroller.scrollLeft = c.x - 20;
      else if (c.x + c.width > scroller.scrollLeft + wide) scroller.scrollLeft = c.x + c.width - wide + 20;
    });
  });

  /** The first column of the next device, or of this or the one before. */
  function byDevice(step: number): number {
    const starts = plan.groups.map((g) => plan.columns.indexOf(g.columns[0]!)).filter((i) => i >= 0);
    const at = selection.cursor.column;
    return step > 0 ? (starts.find((s) => s > at) ?? at) : (starts.findLast((s) => s < at) ?? 0);
  }

  // Where to begin: at the first thing that is wrong, with the keys on the board.
  onMount(() => {
    const first = view.findings.find((f) => f.ports.length);
    selection.columns = plan.columns;
    if (first) selection.goTo(first.ports[0]!, first.vlans[0]);
    if (!office.askName) grid.focus({ preventScroll: true });
  });

  async function keys(e: KeyboardEvent) {
    const { row, column } = selection.cursor;
    const extend = e.shiftKey;
    const jump = e.ctrlKey || e.metaKey;
    if (e.altKey) return;
    switch (e.key) {
      case "ArrowLeft":
        selection.go(row, jump ? byDevice(-1) : column - 1, extend);
        break;
      case "ArrowRight":
        selection.go(row, jump ? byDevice(1) : column + 1, extend);
        break;
      case "ArrowUp":
        selection.go(jump ? 0 : row - 1, column, extend);
        break;
      case "ArrowDown":
        selection.go(jump ? view.vlans.length : row + 1, column, extend);
        break;
      case "Home":
        selection.go(row, 0, extend);
        break;
      case "End":
        selection.go(row, plan.columns.length, extend);
        break;
      case "Enter": {
        const port = selection.toggleFold();
        await tick();
        if (port) selection.goTo(port, current);
        break;
      }
      case "Escape":
        selection.go(row, column);
        break;
      default:
        if (jump || !pending.key(e.key)) return;
    }
    e.preventDefault();
    e.stopPropagation();
  }

  function spot(e: PointerEvent): [number, number] | null {
    const cell = (e.target as Element).closest<HTMLElement>("[data-column]");
    return cell ? [Number(cell.dataset.row), Number(cell.dataset.column)] : null;
  }
  function down(e: PointerEvent) {
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

<div class="board" bind:clientWidth={room} bind:clientHeight={height}>
  <div class="scroll" bind:this={scroller}>
    <div class="sheet" style:width={`${names + plan.width}px`} style:--names={`${names}px`}>
      <div
        role="grid"
        id="board"
        tabindex="0"
        bind:this={grid}
        aria-label="Memberships: VLANs in rows, ports in columns"
        aria-multiselectable="true"
        aria-rowcount={view.vlans.length + 1}
        aria-colcount={plan.columns.length + 1}
        aria-activedescendant={`c-${selection.cursor.row}-${selection.cursor.column}`}
        onkeydown={keys}
        onpointerdown={down}
        onpointerover={over}
        ondblclick={() => selection.toggleFold()}
      >
        <Heads {plan} {names} {marks} />
        {#each view.vlans as v, r (v.vid)}
          <div class="row" class:lit={v.vid === current} class:stripe={r % 2 === 0} role="row" aria-rowindex={r + 2} style:--vlan={hues.get(v.vid)}>
            <RowName vlan={v} split={splits.has(v.vid)} onpick={() => selection.go(r, selection.cursor.column)} />
            {#each plan.columns as c, i (c.ports[0])}
              <Cell column={c} vlan={v} row={r} index={i} {names} reached={v.vid === current && lit.has(c.ports[0]!)} cut={v.vid === current && cut.has(c.ports[0]!)} />
            {/each}
          </div>
        {/each}
        {#if picked}
          <div class="pick" role="presentation" style:left={`${names + picked.x}px`} style:width={`${picked.width}px`} style:height={`${view.vlans.length * 26}px`}>
            <i style:top={`${selection.top * 26}px`} style:height={`${(selection.bottom - selection.top + 1) * 26}px`}></i>
          </div>
        {/if}
      </div>
      <Cables {plan} {names} links={view.links} room={height - 72 - view.vlans.length * 26} />
    </div>
  </div>
</div>

<style>
  .board {
    min-width: 0;
    min-height: 0;
    background: var(--panel);
  }
  .scroll {
    height: 100%;
    overflow: auto;
    user-select: none;
  }
  /* The selection is the focus: it stands out while the board has the keys. */
  #board:focus-visible {
    outline: 0;
  }
  #board:not(:focus) .pick {
    outline: 1px dashed var(--plum);
  }
  .sheet {
    position: relative;
    min-width: 100%;
  }
  .row {
    position: relative;
    height: 26px;
  }
  .stripe {
    background: var(--stripe);
  }
  .row.lit {
    background: var(--plum-wash);
  }
  .pick {
    position: absolute;
    top: 72px;
    outline: 2px solid var(--plum);
    outline-offset: -1px;
    pointer-events: none;
  }
  .pick i {
    position: absolute;
    left: 0;
    right: 0;
    background: color-mix(in oklab, var(--plum) 16%, transparent);
  }
</style>
