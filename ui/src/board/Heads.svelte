<script lang="ts">
  import type { Finding } from "../api/client";
  import type { Column, Layout } from "./fold";
  import { selection } from "../state/selection.svelte";

  let { plan, names, marks }: { plan: Layout; names: number; marks: Map<string, Finding["severity"]> } = $props();

  const mark = (c: Column) => {
    const all = c.ports.map((p) => marks.get(p));
    return all.includes("breaks") ? "breaks" : all.includes("risk") ? "risk" : "";
  };
  const hint = (c: Column) => {
    const plugs = (c.port.plugs ?? []).map((p) => p.name).join(", ");
    const more = c.ports.length > 1 ? `${c.ports.length} ports; Enter unfolds them` : plugs;
    return [`${c.device} ${c.label}`, c.port.flavour && `inner port (${c.port.flavour})`, more].filter(Boolean).join(" · ");
  };
</script>

<div class="heads" role="row" aria-rowindex={1}>
  <span class="corner" role="columnheader" style:width={`${names}px`}><span class="sr-only">VLAN</span></span>
  {#each plan.groups as g (g.device.name)}
    <div class="device" aria-hidden="true" style:left={`${names + g.x}px`} style:width={`${g.width}px`} title={`${g.device.name}: ${g.device.kind}, ${g.device.forwarding}${g.device.follows ? `, follows ${g.device.follows}` : ""}`}>
      <b>{g.device.name}</b>
    </div>
  {/each}
  {#each plan.columns as c, i (c.ports[0])}
    <span
      role="columnheader"
      class={["port", mark(c)]}
      class:blank={c.blank}
      class:picked={i >= selection.left && i <= selection.right}
      data-row="-1"
      data-column={i}
      style:left={`${names + c.x}px`}
      style:width={`${c.width}px`}
      title={hint(c)}
    >
      <span class="label mono"><span class="sr-only">{c.device}</span> {mark(c) ? "!" : ""}{c.label}</span>
    </span>
  {/each}
</div>

<style>
  .heads {
    position: sticky;
    top: 0;
    z-index: 4;
    height: 72px;
    background: var(--panel);
  }
  .corner {
    position: sticky;
    left: 0;
    display: block;
    height: 72px;
    background: var(--panel);
    z-index: 2;
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
