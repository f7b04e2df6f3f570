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

<section
  class="dock border-t border-hair grid grid-cols-[minmax(0,34fr)_minmax(0,41fr)_minmax(0,25fr)] bg-paper min-h-0 relative narrow:overflow-x-auto narrow:grid-cols-[repeat(3,88vw)] narrow:snap-x"
  class:folded={panels.folded}
  aria-label="What is selected"
  bind:this={dock}
>
  <!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions -->
  <span
    class="grip absolute -top-1 right-0 bottom-auto left-0 h-2 cursor-row-resize touch-none z-3 hover:[background-image:linear-gradient(transparent_3px,var(--plum)_3px_5px,transparent_5px)] hover:outline-none! focus-visible:[background-image:linear-gradient(transparent_3px,var(--plum)_3px_5px,transparent_5px)] focus-visible:outline-none!"
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
  <span class="fold absolute top-1 right-1.5 z-2 narrow:right-auto narrow:left-[calc(88vw-42px)]"
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
    .dock > :global(div) {
      scroll-snap-align: start;
    }
  }
</style>
