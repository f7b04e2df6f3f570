<script lang="ts">
  import type { TalkTable } from "../api/client";
  import { since } from "../state/seen.svelte";

  let { router }: { router: TalkTable["routers"][number] } = $props();
</script>

<div class="known" data-known={router.known}>
  <p class:wrong={router.differs.length > 0}>
    What it lets pass is {router.text}{router.at && router.known !== "planned" ? `, ${since(router.at)}` : ""}.
  </p>
  {#if router.differs.length}
    <ul>
      {#each router.differs as d (d)}<li>{d}</li>{/each}
    </ul>
  {/if}
  {#if router.unsaid.length}
    <p class="soft">Found there, and not to be said in rules:</p>
    <ul class="soft">
      {#each router.unsaid as d (d)}<li>{d}</li>{/each}
    </ul>
  {/if}
</div>

<style>
  .known {
    font-size: 13px;
    padding: 4px 10px;
  }
  ul {
    list-style: disc;
    padding-left: 18px;
  }
</style>
