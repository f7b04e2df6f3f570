<script lang="ts">
  import { Spinner } from "flowbite-svelte";
  import { office } from "../state/office.svelte";
</script>

<main class="px-30 py-20 row-start-2 -row-end-1 leading-[1.6]">
  {#if office.keeping === "lost"}
    <h1 class="text-[20px] font-bold">The server does not answer</h1>
    <p>{office.notice?.text ?? ""} This page tries again by itself.</p>
  {:else}
    <Spinner size="6" />
    <p>Reading the office…</p>
  {/if}
</main>
