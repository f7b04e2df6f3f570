<script lang="ts">
  import type { Link } from "../api/client";
  import type { Layout } from "./fold";
  import { selection } from "../state/selection.svelte";
  import { lowest, type Bracket } from "./lanes";

  let { plan, names, drawn, lanes, room }: { plan: Layout; names: number; drawn: Bracket[]; lanes: number; room: number } = $props();

  const top = 6;
  // The cables share the room that is left; where there is little, they scroll.
  const laneHeight = $derived(Math.max(lowest, Math.min(18, (room - top - 12) / Math.max(1, lanes))));
  const y = (b: Bracket) => top + 8 + b.lane * laneHeight;
  const name = (l: Link) => `${l.a} ${l.b}`;
  const says = (l: Link) =>
    `Cable ${l.a.replace(".", " ")} to ${l.b.replace(".", " ")}${l.broken ? `, broken: ${l.labels.join(", ")}` : l.uneven || l.labels.length ? `, the ends differ${l.labels.length ? `: ${l.labels.join(", ")}` : ", where nobody needs it"}` : ", both ends agree"}`;
  const pick = (l: Link) => {
    selection.pickCable(l);
  };
</script>

<div class="cables" data-tour="cables" style:height={`${top + lanes * laneHeight + 4}px`}>
  <span class="word" style:width={`${names}px`}>cables</span>
  <svg style:left={`${names}px`} width={plan.width} height={top + lanes * laneHeight + 4} role="group" aria-label="Cables">
    {#each drawn as b (name(b.link))}
      <!-- svelte-ignore a11y_click_events_have_key_events -->
      <g
        class="cable"
        class:broken={b.link.broken}
        class:uneven={!b.link.broken && (b.link.uneven || b.link.labels.length > 0)}
        class:picked={selection.cable === name(b.link)}
        data-cable={name(b.link)}
        role="button"
        tabindex="-1"
        aria-label={says(b.link)}
        onclick={() => pick(b.link)}
      >
        <path class="line" d={`M${b.x1} 0V${y(b)}H${b.x2}V0`} />
        <path class="hit" d={`M${b.x1} 0V${y(b)}H${b.x2}V0`} />
      </g>
    {/each}
    {#each drawn.filter((d) => d.label) as b (name(b.link))}
      <!-- svelte-ignore a11y_click_events_have_key_events -->
      <g
        class="tag"
        class:broken={b.link.broken}
        class:uneven={!b.link.broken && b.link.labels.length > 0}
        onclick={() => pick(b.link)}
        role="presentation"
      >
        <rect x={b.labelX - b.labelWidth / 2} y={y(b) - 7} width={b.labelWidth} height="14" />
        <text x={b.labelX} y={y(b) + 3.5} text-anchor="middle">{b.label}</text>
      </g>
    {/each}
  </svg>
</div>

<style>
  .cables {
    position: relative;
  }
  .word {
    position: sticky;
    left: 0;
    display: block;
    padding: 8px 0 0 12px;
    font-size: 12px;
    color: var(--soft);
  }
  svg {
    position: absolute;
    top: 0;
    overflow: visible;
  }
  .line {
    fill: none;
    stroke: var(--ink);
    stroke-width: 1.4;
  }
  .cable:focus {
    outline: 0; /* what is picked is drawn bold: a box around it would cross the board */
  }
  .hit {
    fill: none;
    stroke: transparent;
    stroke-width: 11;
    cursor: pointer;
  }
  .broken .line {
    stroke: var(--red);
    stroke-width: 2;
    stroke-dasharray: 5 3;
  }
  .uneven .line {
    stroke: var(--amber);
    stroke-dasharray: 9 3;
  }
  .tag.uneven text {
    fill: var(--amber);
  }
  .picked .line {
    stroke: var(--plum);
    stroke-width: 3;
  }
  .tag {
    cursor: pointer;
  }
  .tag rect {
    fill: var(--panel);
  }
  .tag text {
    font-family: var(--font-mono);
    font-size: 10.5px;
    font-weight: 600;
    fill: var(--ink);
  }
  .tag.broken text {
    fill: var(--red);
  }
</style>
