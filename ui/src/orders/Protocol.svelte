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

<section class="protocol" aria-label="Protocol" class:noprint={!open}>
  <Button color="alternative" size="sm" class="noprint rounded-sm" aria-expanded={open} onclick={() => (open = !open)}>
    {open ? "Close the protocol" : "Protocol: what was done, when, by whom"}
  </Button>
  {#if open && now}
    {#each orders as o (o.id)}
      <h2>
        {o.back ? "Back" : "To the plan"}, revision {o.revision} <span>made by {o.author}, {when(o.at)}. {o.told}</span>
      </h2>
      <Table shadow={false} class="text-[13px] text-[var(--ink)]">
        <TableHead class="bg-transparent dark:bg-transparent text-[11px] text-[var(--soft)]">
          <TableHeadCell class="px-2 py-1">Step</TableHeadCell>
          <TableHeadCell class="px-2 py-1">Device</TableHeadCell>
          <TableHeadCell class="px-2 py-1">What</TableHeadCell>
          <TableHeadCell class="px-2 py-1">Said</TableHeadCell>
          <TableHeadCell class="px-2 py-1">By</TableHeadCell>
          <TableHeadCell class="px-2 py-1">When</TableHeadCell>
        </TableHead>
        <TableBody>
          {#each o.said as x, i (i)}
            <TableBodyRow class="border-[var(--hair)] bg-transparent dark:bg-transparent">
              <TableBodyCell class="px-2 py-1 font-mono text-[var(--ink)]">{x.step + 1} of {o.steps}</TableBodyCell>
              <TableBodyCell class="px-2 py-1 text-[var(--ink)]">{x.device}</TableBodyCell>
              <TableBodyCell class="px-2 py-1 whitespace-normal text-[var(--ink)]">{x.text}</TableBodyCell>
              <TableBodyCell
                class={`px-2 py-1 whitespace-normal ${x.said === "refused" || x.said === "silent" ? "text-[var(--red)]" : "text-[var(--ink)]"}`}
                >{says[x.said]}{x.words ? `: ${x.words}` : ""}</TableBodyCell
              >
              <TableBodyCell class="px-2 py-1 text-[var(--ink)]">{x.author}{x.byDevice ? ", by the device" : ""}</TableBodyCell>
              <TableBodyCell class="px-2 py-1 text-[var(--soft)]">{when(x.at)}</TableBodyCell>
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
  .protocol {
    margin-top: 20px;
  }
  h2 {
    font-weight: 700;
    margin-top: 12px;
  }
  h2 span {
    font-weight: 400;
    color: var(--soft);
    font-size: 13px;
  }
  @media print {
    .noprint {
      display: none;
    }
    .protocol :global(.noprint) {
      display: none;
    }
  }
</style>
