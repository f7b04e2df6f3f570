<!-- The cables of a loop as the ring that they are; each that may go says so. -->
<script lang="ts">
  import { pending } from "../state/pending.svelte";
  import { draw, type Edge } from "./ring";

  let { ports, mends }: { ports: string[]; mends: string[][] } = $props();

  const width = 400;
  const height = $derived(new Set(ports.map((p) => p.slice(0, p.indexOf(".")))).size > 2 ? 150 : 72);
  const plan = $derived(draw(ports, width, height));
  const port = (ref: string) => ref.slice(ref.indexOf(".") + 1).replaceAll('"', "");
  const said = (e: Edge) => `${e.from} ${port(e.a)} to ${e.to} ${port(e.b)}`;
  /** The mend that takes this cable off, where it mends. */
  const off = (e: Edge) => mends.find((m) => m.length === 1 && (m[0] === `-cable ${e.a} ${e.b}` || m[0] === `-cable ${e.b} ${e.a}`));
</script>

<svg
  class="my-1 w-full max-w-100 block"
  viewBox={`0 0 ${width} ${height}`}
  role="group"
  aria-label={`A ring of ${plan.lines.length} cables`}
>
  {#each plan.lines as e (`${e.a} ${e.b}`)}<path class="fill-none stroke-ink stroke-[1.6]" d={e.path} class:may={off(e)} />{/each}
  {#each plan.lines as e (`${e.a} ${e.b}`)}
    {#each e.ends as p (p.port)}<g class="end"
        ><rect class="fill-panel" x={p.x - 4 - 3 * port(p.port).length} y={p.y - 7} width={8 + 6 * port(p.port).length} height="14" /><text
          class="text-[10.5px] [text-anchor:middle] fill-soft font-mono"
          x={p.x}
          y={p.y + 3.5}>{port(p.port)}</text
        ></g
      >{/each}
    {@const m = off(e)}
    {#if m}
      <!-- svelte-ignore a11y_click_events_have_key_events -->
      <g
        class="take cursor-pointer focus:outline-0!"
        role="button"
        tabindex="-1"
        aria-label={`Take off the cable ${said(e)}`}
        onclick={() => pending.propose(m)}
      >
        <title>Take off the cable {said(e)}: shows first what that does</title>
        <circle class="fill-panel stroke-amber" cx={e.mid.x} cy={e.mid.y} r="9" />
        <path class="fill-none stroke-[1.6] stroke-amber" d={`M${e.mid.x - 3.5} ${e.mid.y - 3.5}l7 7m0 -7l-7 7`} />
      </g>
    {/if}
  {/each}
  {#each plan.nodes as n (n.name)}
    {@const w = Math.min(108, 14 + 7.2 * n.name.length)}
    <g
      ><rect class="fill-panel stroke-ink" x={n.x - w / 2} y={n.y - 11} width={w} height="22" /><text
        class="[text-anchor:middle] text-[12px] font-semibold [font-family:inherit] fill-ink"
        x={n.x}
        y={n.y + 4}>{n.name.length > 13 ? `${n.name.slice(0, 12)}…` : n.name}</text
      ></g
    >
  {/each}
</svg>

<style>
  path.may {
    stroke: var(--amber);
    stroke-dasharray: 9 3;
  }
  .take:hover circle {
    fill: var(--hair);
  }
</style>
