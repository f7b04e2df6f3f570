<script lang="ts">
  import Restore from "./Restore.svelte";
  import { Button } from "flowbite-svelte";
  import { api, type HistoryEntry, type Readings } from "../api/client";
  import { office } from "../state/office.svelte";
  import { place } from "../state/place.svelte";
  import { seen } from "../state/seen.svelte";

  let edits = $state.raw<HistoryEntry[]>([]);
  let more = $state(false);
  const revision = $derived(office.view?.revision);
  const page = 100;
  type Row = HistoryEntry | Readings["drift"][number];

  $effect(() => {
    if (!office.view || !revision) return;
    api.history(office.view.id).then(
      (h) => {
        edits = h;
        more = h.length === page;
      },
      (e) => office.tell(e),
    );
  });
  async function older() {
    const last = edits.at(-1);
    if (!office.view || !last) return;
    try {
      const h = await api.history(office.view.id, last.revision);
      edits = [...edits, ...h];
      more = h.length === page;
    } catch (e) {
      office.tell(e);
    }
  }
  const day = (at: string) =>
    new Date(at).toLocaleDateString(undefined, { weekday: "long", day: "numeric", month: "long", year: "numeric" });
  const time = (at: string) => new Date(at).toLocaleTimeString(undefined, { timeStyle: "short" });
  $effect(() => seen.follow());
  // What drifted stands among the edits, as far back as they are read.
  const days = $derived.by(() => {
    const since = more ? (edits.at(-1)?.at ?? "") : "";
    const drift = (seen.now?.drift ?? []).filter((d) => d.at >= since);
    const rows: Row[] = [...edits, ...drift].sort((a, b) => (a.at < b.at ? 1 : a.at > b.at ? -1 : 0));
    const out: { day: string; rows: Row[] }[] = [];
    for (const e of rows) {
      const d = day(e.at);
      if (out.at(-1)?.day !== d) out.push({ day: d, rows: [] });
      out.at(-1)!.rows.push(e);
    }
    return out;
  });
  const look = (r: number) => office.look(r).catch((e) => office.tell(e));
</script>

<div class="history" aria-label="History">
  <h1>History</h1>
  <p class="lead">
    Every edit, the newest first. <b>Look</b> shows the office as it was on every view; nothing changes until you restore it, which is a new edit.
  </p>
  {#each days as d (d.day)}
    <h2>{d.day}</h2>
    <ol>
      {#each d.rows as e ("said" in e ? e.at + e.said : e.revision)}
        {#if "said" in e}
          <li class="drift">
            <span class="rev"></span>
            <span class="when">{time(e.at)}</span>
            <span class="who">found</span>
            <span class="what">{e.said}, not by a work order</span>
          </li>
        {:else}
          <li class:undone={e.undoneBy > 0} class:here={office.then?.revision === e.revision} data-revision={e.revision}>
            <span class="mono rev">{e.revision}</span>
            <span class="when">{time(e.at)}</span>
            <span class="who">{e.author}</span>
            <span class="what"
              >{e.summary}{#if e.undoneBy}<i>taken back in {e.undoneBy}</i>{/if}</span
            >
            <span class="acts">
              {#if e.revision === revision}
                <span class="now">now</span>
              {:else}
                <Button onclick={() => look(e.revision).then(() => place.view("board"))}>Look</Button>
                <Restore revision={e.revision} says="Restore" />
              {/if}
            </span>
          </li>
        {/if}
      {/each}
    </ol>
  {/each}
  {#if more}<Button class="older" onclick={older}>Older edits</Button>{/if}
</div>

<style>
  .drift {
    color: var(--amber);
  }
  .history {
    padding: 18px 28px 40px;
    max-width: 1100px;
  }
  h2 {
    margin: 14px 0 4px;
    font-weight: 650;
    color: var(--soft);
  }
  li {
    display: grid;
    grid-template-columns: 52px 64px 130px 1fr auto;
    gap: 8px;
    align-items: baseline;
    padding: 5px 8px;
    border-bottom: 1px solid var(--hair);
    background: var(--panel);
  }
  .here {
    background: var(--plum-wash);
  }
  .rev,
  .when,
  .who,
  .now {
    color: var(--soft);
  }
  .what {
    overflow-wrap: anywhere;
  }
  .undone .what {
    text-decoration: line-through;
    text-decoration-color: var(--soft);
  }
  i {
    margin-left: 8px;
    color: var(--soft);
    display: inline-block;
  }
  .acts {
    display: flex;
    gap: 6px;
  }
  .history :global(.older) {
    margin-top: 12px;
  }
</style>
