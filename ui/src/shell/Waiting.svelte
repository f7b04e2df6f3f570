<script lang="ts">
  import { Spinner } from "flowbite-svelte";
  import { office } from "../state/office.svelte";
</script>

<main>
  {#if office.keeping === "lost"}
    <h1>The server does not answer</h1>
    <p>{office.notice?.text ?? ""} This page tries again by itself.</p>
  {:else}
    <Spinner size="6" />
    <p>Reading the office…</p>
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
</style>
