<script lang="ts">
  import { Button, Modal, Spinner } from "flowbite-svelte";
  import type { Rehearsal } from "../api/client";
  import { word } from "../shell/plural";

  // What a device would be told, before it is: the question that comes before its visit.
  let {
    device,
    rehearsal,
    problem,
    onyes,
    onclose,
  }: { device: string; rehearsal: Rehearsal | null; problem: string; onyes: () => void; onclose: () => void } = $props();

  const wrong = $derived(rehearsal?.steps.find((s) => s.wrong));
  const writes = $derived(rehearsal?.steps.reduce((n, s) => n + s.writes.length, 0) ?? 0);
</script>

<Modal open {onclose} size="lg" title={`Have ${device} do it?`} class="rounded-sm bg-[var(--panel)] dark:bg-[var(--panel)]">
  {#if problem}
    <p class="bad">{problem}</p>
  {:else if !rehearsal}
    <p role="status"><Spinner size="4" /> {device} is read, and every write worked out; nothing is sent.</p>
  {:else}
    {#if rehearsal.breaks.length}
      <div class="bad">
        <p><b>As planned, this breaks at {device}:</b></p>
        <ul>
          {#each rehearsal.breaks as b (b.text)}<li>{b.text}</li>{/each}
        </ul>
      </div>
    {/if}
    <ol>
      {#each rehearsal.steps as s (s.step)}
        <li>
          <span class="mono">{s.step + 1}</span>
          {s.text}
          {#if s.hand}<em class="block">For you: {s.hand}.</em>{/if}
          {#if s.wrong}<em class="bad">{s.wrong}</em>{/if}
          {#if s.writes.length}
            <details>
              <summary>{s.writes.length} {word(s.writes.length, "write")}</summary>
              <ul class="mono">
                {#each s.writes as w, i (i)}<li>{w}</li>{/each}
              </ul>
            </details>
          {/if}
        </li>
      {/each}
    </ol>
  {/if}
  <span class="flex gap-2">
    {#if rehearsal && !wrong}
      <Button id="carry" class="main rounded-sm" onclick={onyes}
        >{rehearsal.breaks.length
          ? `Set it all the same: ${writes} ${word(writes, "write")}`
          : `Set it: ${writes} ${word(writes, "write")}, each read back`}</Button
      >
    {/if}
    <Button color="alternative" class="rounded-sm" onclick={onclose}>{wrong || problem ? "Close" : "Not now"}</Button>
  </span>
</Modal>

<style>
  ol > li {
    border-bottom: 1px solid var(--hair);
    padding: 4px 0;
  }
  em {
    color: var(--soft);
    font-style: normal;
    font-size: 13px;
  }
  .bad,
  em.bad {
    color: var(--red);
  }
  ul {
    list-style: disc;
    padding-left: 20px;
    overflow-wrap: anywhere;
  }
  ul.mono {
    font-size: 12px;
  }
  summary {
    font-size: 13px;
    color: var(--soft);
  }
</style>
