<script lang="ts">
  import { Button, Table } from "flowbite-svelte";
  import type { SheetTable } from "../api/client";
  import { copy } from "../shell/copy";

  let { planned, found, only }: { planned: SheetTable[]; found: SheetTable[] | null; only: boolean } = $props();

  const key = (r: string[]) => r.join("\u0000");
  // A row is as it should be where the other side has the same one.
  const pairs = $derived(
    planned.map((t) => {
      const other = found?.find((f) => f.title === t.title);
      const there = new Set(other?.rows.map(key));
      const here = new Set(t.rows.map(key));
      const rows = t.rows.map((r) => ({ r, differs: !!other && !there.has(key(r)) }));
      const was = (other?.rows ?? []).map((r) => ({ r, differs: !here.has(key(r)) }));
      return { t, other, rows: only && other ? rows.filter((x) => x.differs) : rows, was: only ? was.filter((x) => x.differs) : was };
    }),
  );
</script>

{#snippet table(t: SheetTable, rows: { r: string[]; differs: boolean }[], side: string)}
  <Table class={side}>
    <caption class="pb-0.75 text-left font-bold">{t.title}{found ? (side === "planned" ? ", as it should be" : ", as found") : ""}</caption>
    <thead
      ><tr
        >{#each t.head as h (h)}<th
            class="px-2.25 py-0.5 border-b-[1.5px] border-ink text-left text-[11px] text-soft whitespace-nowrap"
            scope="col">{h}</th
          >{/each}</tr
      ></thead
    >
    <tbody>
      {#each rows as x, i (i)}
        <tr class:differs={x.differs}>
          {#each x.r as c, k (k)}
            <td class="px-1 border-b border-hair h-7 print:h-auto"
              >{#if c && side === "planned"}<Button
                  class="value mono px-1.25 py-0 border-transparent! bg-transparent! min-h-6.5 text-left print:min-h-0"
                  data-tip="Copy it"
                  onclick={() => copy(c)}>{c}</Button
                >{:else}<span class="mono px-1.25">{c}</span>{/if}</td
            >
          {/each}
        </tr>
      {:else}
        <tr><td colspan={t.head.length} class="px-2.25 py-1 border-b border-hair h-7 text-soft print:h-auto">as it should be</td></tr>
      {/each}
    </tbody>
  </Table>
{/snippet}

<div class="tables mt-3 gap-y-3.5 gap-x-7 flex flex-wrap items-start">
  {#each pairs as p (p.t.title)}
    <div class="gap-3.5 overflow-x-auto flex flex-wrap items-start max-w-full">
      {@render table(p.t, p.rows, "planned")}
      {#if p.other}{@render table(p.other, p.was, "found")}{/if}
    </div>
  {/each}
</div>

<style>
  .tables :global(table) {
    border-collapse: collapse;
    font-size: 13px;
    background: var(--panel);
  }
  .tables :global(.found) {
    opacity: 0.92;
    background: var(--paper);
  }
  .differs td {
    background: var(--plum-wash);
    font-weight: 650;
  }
  @media print {
    .tables :global(table) {
      break-inside: avoid;
    }
    .tables :global(.found) {
      display: none;
    }
  }
</style>
