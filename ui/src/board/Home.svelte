<!-- The view that an office opens with: its board, what is said of what one points at, and what an edit would do. -->
<script lang="ts">
  import Dock from "../dock/Dock.svelte";
  import Then from "../history/Then.svelte";
  import Foretold from "../line/Foretold.svelte";
  import Board from "./Board.svelte";
</script>

<main><Then /><Board /></main>
<Dock />
<Foretold />

<style>
  main {
    min-height: 0;
    overflow: hidden;
    display: flex;
    flex-direction: column;
  }
  main > :global(.board) {
    flex: 1;
  }
</style>
