<script lang="ts">
  import type { Snippet } from "svelte";

  let { children }: { children: Snippet } = $props();
</script>

<main class="door">{@render children()}</main>

<style>
  .door {
    grid-row: 2 / -1;
    overflow: auto;
    display: grid;
    place-items: start center;
    padding: 9vh 16px 16px;
    background: var(--paper);
  }
  .door > :global(form) {
    display: grid;
    gap: 6px;
    width: min(100%, 370px);
    background: var(--panel);
    border: 1px solid var(--hair);
    border-top: 3px solid var(--plum);
    padding: 18px 22px 20px;
  }
  .door :global(label) {
    margin-top: 6px;
  }
  .door :global(.wrong) {
    color: var(--red);
    min-height: 1.4em;
  }
  .door :global(.soft) {
    color: var(--soft);
    font-size: 13px;
    margin-top: 8px;
  }
</style>
