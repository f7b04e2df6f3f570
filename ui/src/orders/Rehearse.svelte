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

<Modal open {onclose} size="lg" title={`Have ${device} do it?`} class="rounded-sm bg-panel dark:bg-panel">
  {#if problem}
    <p class="bad text-red">{problem}</p>
  {:else if !rehearsal}
    <p role="status"><Spinner size="4" /> {device} is read, and every write worked out; nothing is sent.</p>
  {:else}
    {#if rehearsal.breaks.length}
      <div class="bad text-red">
        <p><b>As planned, this breaks at {device}:</b></p>
        <ul class="pl-5 list-disc wrap-anywhere">
          {#each rehearsal.breaks as b (b.text)}<li>{b.text}</li>{/each}
        </ul>
      </div>
    {/if}
    <ol>
      {#each rehearsal.steps as s (s.step)}
        <li class="py-1 border-b border-hair">
          <span class="mono">{s.step + 1}</span>
          {s.text}
          {#if s.hand}<em class="block text-soft not-italic text-[13px]">For you: {s.hand}.</em>{/if}
          {#if s.wrong}<em class="bad not-italic text-[13px] text-red">{s.wrong}</em>{/if}
          {#if s.writes.length}
            <details>
              <summary class="text-[13px] text-soft">{s.writes.length} {word(s.writes.length, "write")}</summary>
              <ul class="mono pl-5 list-disc wrap-anywhere text-[12px]">
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
      <Button id="carry" class="main" onclick={onyes}
        >{rehearsal.breaks.length
          ? `Set it all the same: ${writes} ${word(writes, "write")}`
          : `Set it: ${writes} ${word(writes, "write")}, each read back`}</Button
      >
    {/if}
    <Button color="alternative" onclick={onclose}>{wrong || problem ? "Close" : "Not now"}</Button>
  </span>
</Modal>
