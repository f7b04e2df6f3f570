<script lang="ts">
  import type { TalkTable } from "../api/client";
  import { since } from "../state/seen.svelte";

  const most = 4; // so that the rules stay in sight
  let { router }: { router: TalkTable["routers"][number] } = $props();
</script>

<div class="known px-2.5 py-1 text-[13px]" data-known={router.known}>
  <p class:wrong={router.differs.length > 0}>
    What {router.device} lets pass is {router.text}{router.at && router.known !== "planned" ? `, ${since(router.at)}` : ""}.
  </p>
  {#if router.differs.length}
    <ul class="pl-4.5 list-disc">
      {#each router.differs.slice(0, most) as d (d)}<li>{d}</li>{/each}
    </ul>
    {#if router.differs.length > most}
      <details>
        <summary>and {router.differs.length - most} more</summary>
        <ul class="pl-4.5 list-disc">
          {#each router.differs.slice(most) as d (d)}<li>{d}</li>{/each}
        </ul>
      </details>
    {/if}
  {/if}
  {#if router.unsaid.length}
    <p class="soft">Found there, and not to be said in rules:</p>
    <ul class="soft pl-4.5 list-disc">
      {#each router.unsaid as d (d)}<li>{d}</li>{/each}
    </ul>
  {/if}
</div>
