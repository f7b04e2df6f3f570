<script lang="ts">
  import FindingList from "./FindingList.svelte";
  import ReachSmall from "./ReachSmall.svelte";
  import Words from "./Words.svelte";
</script>

<section class="dock" aria-label="What is selected">
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
