<script lang="ts">
  import { Spinner } from "flowbite-svelte";
  import { office } from "../state/office.svelte";
</script>

<main>
  {#if office.empty}
    <h1>No office yet</h1>
    <p>Write one in bracket notation and start Klammer with it:</p>
    <pre class="mono">klammer serve --load office.klm</pre>
    <p>A port with VLAN 190 untagged, and 110 and 160 tagged, is <code class="mono">190 [110 160]</code>.</p>
  {:else if office.keeping === "lost"}
    <h1>The server does not answer</h1>
    <p>{office.notice?.text ?? ""} This page tries again by itself.</p>
  {:else}
    <Spinner size="6" /> <p>Reading the office…</p>
  {/if}
</main>

<style>
  main {
    grid-row: 2 / -1;
    padding: 80px 120px;
    line-height: 1.6;
  }
  h1 {
    font-size: 20px;
    font-weight: 700;
  }
  pre {
    margin: 10px 0;
    padding: 8px 12px;
    border-left: 3px solid var(--plum);
    background: var(--paper);
  }
</style>
