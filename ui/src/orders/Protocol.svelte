<script lang="ts">
  import { Button, Table, TableBody, TableBodyCell, TableBodyRow, TableHead, TableHeadCell } from "flowbite-svelte";
  import { api, type Protocol } from "../api/client";
  import { office } from "../state/office.svelte";

  // What was done by orders, evening by evening: to be read, and printed.
  let { id, heard }: { id: number; heard: unknown } = $props();

  let open = $state(false);
  let now = $state.raw<Protocol | null>(null);
  $effect(() => {
    void heard;
    if (!open) return;
    api.protocol(id).then(
      (p) => (now = p),
      (e) => office.tell(e),
    );
  });
  const when = (t: string) => new Date(t).toLocaleString(undefined, { dateStyle: "medium", timeStyle: "medium" });
  const says: Record<string, string> = { done: "done", undone: "not after all", refused: "refused", silent: "no answer" };
  const orders = $derived((now?.orders ?? []).map((o) => ({ ...o, said: now!.said.filter((x) => x.order === o.id) })).reverse());
</script>

<section class="protocol mt-5" aria-label="Protocol" class:noprint={!open}>
  <Button color="alternative" size="sm" class="noprint" aria-expanded={open} onclick={() => (open = !open)}>
    {open ? "Close the protocol" : "Protocol: what was done, when, by whom"}
  </Button>
  {#if open && now}
    {#each orders as o (o.id)}
      <h2 class="mt-3 font-bold">
        {o.back ? "Back" : "To the plan"}, revision {o.revision}
        <span class="font-normal text-soft text-[13px]">made by {o.author}, {when(o.at)}. {o.told}</span>
      </h2>
      <Table shadow={false} class="text-[13px] text-ink">
        <TableHead class="bg-transparent dark:bg-transparent text-[11px] text-soft">
          <TableHeadCell class="px-2 py-1">Step</TableHeadCell>
          <TableHeadCell class="px-2 py-1">Device</TableHeadCell>
          <TableHeadCell class="px-2 py-1">What</TableHeadCell>
          <TableHeadCell class="px-2 py-1">Said</TableHeadCell>
          <TableHeadCell class="px-2 py-1">By</TableHeadCell>
          <TableHeadCell class="px-2 py-1">When</TableHeadCell>
        </TableHead>
        <TableBody>
          {#each o.said as x, i (i)}
            <TableBodyRow class="border-hair bg-transparent dark:bg-transparent">
              <TableBodyCell class="px-2 py-1 font-mono text-ink">{x.step + 1} of {o.steps}</TableBodyCell>
              <TableBodyCell class="px-2 py-1 text-ink">{x.device}</TableBodyCell>
              <TableBodyCell class="px-2 py-1 whitespace-normal text-ink">{x.text}</TableBodyCell>
              <TableBodyCell class={`px-2 py-1 whitespace-normal ${x.said === "refused" || x.said === "silent" ? "text-red" : "text-ink"}`}
                >{says[x.said]}{x.words ? `: ${x.words}` : ""}</TableBodyCell
              >
              <TableBodyCell class="px-2 py-1 text-ink">{x.author}{x.byDevice ? ", by the device" : ""}</TableBodyCell>
              <TableBodyCell class="px-2 py-1 text-soft">{when(x.at)}</TableBodyCell>
            </TableBodyRow>
          {/each}
        </TableBody>
      </Table>
    {:else}
      <p>Nothing was ticked yet.</p>
    {/each}
  {/if}
</section>

<style>
  @media print {
    .noprint {
      display: none;
    }
  }
</style>
