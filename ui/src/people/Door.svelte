<script lang="ts">
  import type { Snippet } from "svelte";

  let { children }: { children: Snippet } = $props();
</script>

<main class="door px-4 pt-[9vh] pb-4 overflow-auto row-start-2 -row-end-1 grid [place-items:start_center] bg-paper">
  {@render children()}
</main>

<style>
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
