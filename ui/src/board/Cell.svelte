<script lang="ts">
  import type { Vlan } from "../api/client";
  import { pending } from "../state/pending.svelte";
  import { selection } from "../state/selection.svelte";
  import type { Column } from "./fold";

  let {
    column,
    vlan,
    row,
    index,
    reached,
    cut,
  }: { column: Column; vlan: Vlan; row: number; index: number; reached: boolean; cut: boolean } = $props();

  const p = $derived(column.port);
  // What waits for Enter is drawn in place: the first of the column's ports that it changes.
  const next = $derived(pending.preview ? column.ports.map((r) => pending.port(r)).find((x) => x) : undefined);
  const then = $derived(next ? (next.untagged.includes(vlan.vid) ? "U" : next.tagged.includes(vlan.vid) ? "T" : "") : null);
  const as = $derived(p.untagged.includes(vlan.vid) ? "U" : p.tagged.includes(vlan.vid) ? "T" : "");
  // The PVID shows only where it is not the untagged VLAN: then it matters.
  const pvid = $derived(p.pvid === vlan.vid && as !== "U");
  const lost = $derived(as === "U" && p.pvid === 0);
  const says = $derived(
    `${column.device} ${column.label}, ${vlan.vid} ${vlan.name}: ${as === "U" ? "untagged" : as === "T" ? "tagged" : "not a member"}` +
      (pvid ? ", the PVID" : "") +
      (lost ? ", no PVID" : ""),
  );
  const selected = $derived(
    index >= selection.left && index <= selection.right && row >= selection.top && row <= selection.bottom,
  );
</script>

<span
  role="gridcell"
  id={`c-${row}-${index}`}
  class="cell"
  class:slim={column.blank}
  data-row={row}
  data-column={index}
  data-port={column.ports[0]}
  data-vid={vlan.vid}
  data-as={as || "none"}
  aria-label={says}
  aria-selected={selected}
  class:turning={then !== null && then !== as}
  aria-colindex={index + 2}
  data-then={then !== null && then !== as ? then || "none" : undefined}
  style:left={`calc(var(--names) + ${column.x}px)`}
  style:width={`${column.width}px`}
>
  {#if then !== null && then !== as}
    <b class={["next", then === "U" ? "u" : then === "T" ? "t" : "off"]}>{then || "–"}</b>
  {:else if as === "U"}
    <b class="u" class:reached class:cut>U</b>
  {:else if as === "T"}
    <b class="t" class:reached class:cut>T</b>
  {:else if pvid}
    <b class="p">p</b>
  {:else}
    <i></i>
  {/if}
  {#if pvid && as === "T"}<sup>p</sup>{/if}
  {#if lost}<sup>∅</sup>{/if}
</span>

<style>
  .cell {
    position: absolute;
    top: 0;
    height: 26px;
    display: grid;
    place-items: center;
  }
  i {
    width: 2px;
    height: 2px;
    background: var(--faint);
  }
  .slim i {
    opacity: 0.5;
  }
  b {
    width: 18px;
    height: 18px;
    font-family: var(--font-mono);
    font-size: 11px;
    line-height: 18px;
    text-align: center;
    font-weight: 700;
  }
  .u {
    background: var(--vlan);
    color: var(--on-vlan);
    border-radius: 2px;
  }
  .t {
    position: relative;
    color: var(--vlan);
  }
  .t::before,
  .t::after {
    content: "";
    position: absolute;
    top: 0;
    bottom: 0;
    width: 4px;
    border: 2px solid var(--vlan);
  }
  .t::before {
    left: 0;
    border-right: 0;
  }
  .t::after {
    right: 0;
    border-left: 0;
  }
  .reached {
    box-shadow: 0 0 0 2px color-mix(in oklab, var(--vlan) 28%, transparent);
  }
  .cut {
    box-shadow: none;
    outline: 1.5px dashed var(--red);
    outline-offset: 1px;
  }
  .p {
    color: var(--amber);
    border: 1.5px dotted var(--amber);
    line-height: 14px;
  }
  .turning {
    background: color-mix(in oklab, var(--plum) 22%, transparent);
    outline: 1.5px dashed var(--plum);
    outline-offset: -2px;
  }
  .off {
    color: var(--soft);
  }
  sup {
    position: absolute;
    right: 0;
    top: 0;
    font-size: 9px;
    font-weight: 700;
    color: var(--amber);
  }
</style>
