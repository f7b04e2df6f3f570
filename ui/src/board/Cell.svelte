<script lang="ts">
  import type { Vlan } from "../api/client";
  import { selection } from "../state/selection.svelte";
  import type { Column } from "./fold";

  let {
    column,
    vlan,
    row,
    index,
    names,
    reached,
    cut,
  }: { column: Column; vlan: Vlan; row: number; index: number; names: number; reached: boolean; cut: boolean } = $props();

  const p = $derived(column.port);
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
  style:left={`${names + column.x}px`}
  style:width={`${column.width}px`}
>
  {#if as === "U"}
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
  sup {
    position: absolute;
    right: 0;
    top: 0;
    font-size: 9px;
    font-weight: 700;
    color: var(--amber);
  }
</style>
