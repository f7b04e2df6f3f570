<script lang="ts">
  import { onDestroy, onMount } from "svelte";
  import Board from "./board/Board.svelte";
  import Dock from "./dock/Dock.svelte";
  import Line from "./line/Line.svelte";
  import Empty from "./shell/Empty.svelte";
  import Header from "./shell/Header.svelte";
  import HistoryPanel from "./shell/HistoryPanel.svelte";
  import KeysDialog from "./shell/KeysDialog.svelte";
  import NameDialog from "./shell/NameDialog.svelte";
  import Notice from "./shell/Notice.svelte";
  import { office } from "./state/office.svelte";
  import { panels } from "./state/panels.svelte";

  onMount(() => void office.start());
  onDestroy(() => office.stop());

  function keys(e: KeyboardEvent) {
    const inText = e.target instanceof HTMLInputElement || e.target instanceof HTMLTextAreaElement;
    if ((e.ctrlKey || e.metaKey) && !inText) {
      const k = e.key.toLowerCase();
      if (k === "z" && !e.shiftKey) void office.undo();
      else if (k === "y" || (k === "z" && e.shiftKey)) void office.redo();
      else return;
      e.preventDefault();
    } else if (!inText && !e.altKey && e.key === "?") panels.keys = true;
    else if (!inText && !e.altKey && e.key === "/") {
      e.preventDefault();
      document.getElementById("line")?.focus();
    }
  }
</script>

<svelte:window onkeydown={keys} />

<div class="shell">
  <Header />
  {#if office.view}
    <Board />
    <Dock />
    <Line />
  {:else}
    <Empty />
  {/if}
</div>
<Notice />
<NameDialog />
<KeysDialog />
<HistoryPanel />

<style>
  .shell {
    height: 100%;
    display: grid;
    grid-template-rows: 45px minmax(0, 1fr) 240px 40px;
  }
</style>
