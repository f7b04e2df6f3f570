<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { panels } from "../state/panels.svelte";
  import FindingList from "./FindingList.svelte";
  import ReachSmall from "./ReachSmall.svelte";
  import Words from "./Words.svelte";

  let dock: HTMLElement;
  let from: { y: number; height: number } | undefined; // where a drag began
  const room = () => dock.parentElement!.clientHeight;
  function keys(e: KeyboardEvent) {
    const by = { ArrowUp: 24, ArrowDown: -24, PageUp: 120, PageDown: -120 }[e.key];
    if (by) panels.drag(dock.clientHeight + by, room());
    else if (e.key === "Enter") panels.fold();
    else if (e.key === "Home") panels.fit();
    else return;
    e.preventDefault();
    e.stopPropagation();
  }
</script>

<section class="dock" class:folded={panels.folded} aria-label="What is selected" bind:this={dock}>
  <!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions -->
  <span
    class="grip"
    role="separator"
    tabindex="0"
    aria-orientation="horizontal"
    aria-label="How high this is"
    aria-valuenow={panels.dock}
    data-tip={"Drag it, or ↑ and ↓; Enter folds it, Home makes it fit"}
    onkeydown={keys}
    ondblclick={() => panels.fit()}
    onpointerdown={(e) => {
      from = { y: e.clientY, height: dock.clientHeight };
      e.currentTarget.setPointerCapture(e.pointerId);
    }}
    onpointermove={(e) => from && panels.drag(from.height + from.y - e.clientY, room())}
    onpointerup={() => (from = undefined)}
    onpointercancel={() => (from = undefined)}
  ></span>
  <span class="fold"
    ><Button
      class="icon"
      aria-expanded={!panels.folded}
      aria-label="What is selected, its findings, and where its VLAN reaches"
      data-tip={panels.folded ? "Unfold" : "Fold"}
      onclick={() => panels.fold()}>{panels.folded ? "▴" : "▾"}</Button
    ></span
  >
  <Words />
  <FindingList />
  <ReachSmall />
</section>

<style>
  .dock {
    display: grid;
    grid-template-columns: minmax(0, 34fr) minmax(0, 41fr) minmax(0, 25fr);
    border-top: 1px solid var(--hair);
    background: var(--paper);
    min-height: 0;
    position: relative;
  }
  .grip {
    position: absolute;
    inset: -4px 0 auto;
    height: 8px;
    cursor: row-resize;
    touch-action: none;
    z-index: 3;
  }
  .grip:hover,
  .grip:focus-visible {
    background: linear-gradient(transparent 3px, var(--plum) 3px 5px, transparent 5px);
    outline: none;
  }
  .fold {
    position: absolute;
    top: 4px;
    right: 6px;
    z-index: 2;
  }
  .folded > :global(div) {
    overflow: hidden;
    padding-top: 8px;
  }
  .dock > :global(div) {
    padding: 10px 16px;
    overflow: auto;
    min-height: 0;
  }
  .dock > :global(.findings),
  .dock > :global(.reach) {
    border-left: 1px solid var(--hair);
  }
  .dock :global(h2) {
    font-size: 11px;
    font-weight: 700;
    letter-spacing: 0.06em;
    text-transform: uppercase;
    color: var(--soft);
    margin-bottom: 5px;
  }
  /* On a small window each part has the width, and one pushes on to the next. */
  @media (max-width: 700px) {
    .dock {
      grid-template-columns: repeat(3, 88vw);
      overflow-x: auto;
      scroll-snap-type: x proximity;
    }
    .dock > :global(div) {
      scroll-snap-align: start;
    }
  }
</style>
