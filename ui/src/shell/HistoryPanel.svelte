<script lang="ts">
  import { Drawer } from "flowbite-svelte";
  import { api, type HistoryEntry } from "../api/client";
  import { office } from "../state/office.svelte";
  import { panels } from "../state/panels.svelte";

  let edits = $state.raw<HistoryEntry[]>([]);
  const revision = $derived(office.view?.revision);

  $effect(() => {
    if (!panels.history || !office.view || !revision) return;
    api.history(office.view.id).then(
      (h) => (edits = h),
      (e) => office.tell(e),
    );
  });
  const when = (at: string) => new Date(at).toLocaleString(undefined, { dateStyle: "medium", timeStyle: "short" });
</script>

<Drawer bind:open={panels.history} placement="right" class="w-96 bg-[var(--panel)] text-[var(--ink)] dark:bg-[var(--panel)]" aria-label="History">
  <h2>History</h2>
  <ol>
    {#each edits as e (e.revision)}
      <li class:undone={e.undoneBy > 0}>
        <span class="mono rev">{e.revision}</span>
        <span class="what">{e.summary}</span>
        <span class="who">{e.author}, {when(e.at)}{e.undoneBy ? `; taken back in ${e.undoneBy}` : ""}</span>
      </li>
    {/each}
  </ol>
</Drawer>

<style>
  h2 {
    font-weight: 700;
    font-size: 16px;
    margin-bottom: 10px;
  }
  li {
    display: grid;
    grid-template-columns: 36px 1fr;
    padding: 7px 0;
    border-bottom: 1px solid var(--hair);
  }
  .rev {
    grid-row: span 2;
    color: var(--soft);
  }
  .who {
    color: var(--soft);
    font-size: 12px;
  }
  .undone .what {
    text-decoration: line-through;
  }
</style>
