<!-- The view that an office opens with: its board, what is said of what one points at, and what an edit would do. -->
<script lang="ts">
  import Dock from "../dock/Dock.svelte";
  import Then from "../history/Then.svelte";
  import Foretold from "../line/Foretold.svelte";
  import Board from "./Board.svelte";
</script>

<main class="overflow-hidden min-h-0 flex flex-col"><Then /><Board /></main>
<Dock />
<Foretold />

<style>
  main > :global(.board) {
    flex: 1;
  }
</style>
