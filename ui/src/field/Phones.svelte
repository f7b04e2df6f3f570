<script lang="ts">
  import { may, only } from "../state/may.svelte";
  import { Button, Table, TableBody, TableBodyCell, TableBodyRow } from "flowbite-svelte";
  import type { Readings } from "../api/client";
  import { pending } from "../state/pending.svelte";

  let { phones }: { phones: Readings["phones"] } = $props();

  const cell = "px-2 py-1 font-normal whitespace-normal";
  const voice = (p: Readings["phones"][number]) =>
    p.voice ? `voice in ${p.voice}${p.tagged ? ", tagged" : ", untagged"}` : "does not say where its voice is";
</script>

{#if phones.length}
  <section class="mt-4.5" data-phones>
    <h2>Phones, as heard</h2>
    <Table class="text-[13px] text-ink">
      <TableBody>
        {#each phones as p (p.port + p.name)}
          <TableBodyRow class="border-hair bg-transparent">
            <TableBodyCell class={cell}>{p.port.replace(".", " ")}</TableBodyCell>
            <TableBodyCell class={cell}>{p.name}</TableBodyCell>
            <TableBodyCell class="{cell} {p.wrong ? 'text-red' : 'text-soft'}">{p.wrong || voice(p)}</TableBodyCell>
            <TableBodyCell class={cell}>
              {#if p.plug}<b>{p.plug}</b>{:else if p.line}
                <Button size="xs" color="alternative" onclick={() => pending.propose([p.line!])} {...only(may.plan)}>Plug it in</Button>
              {/if}
            </TableBodyCell>
          </TableBodyRow>
        {/each}
      </TableBody>
    </Table>
  </section>
{/if}
