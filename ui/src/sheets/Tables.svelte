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
    <caption>{t.title}{found ? (side === "planned" ? ", as it should be" : ", as found") : ""}</caption>
    <thead
      ><tr
        >{#each t.head as h (h)}<th scope="col">{h}</th>{/each}</tr
      ></thead
    >
    <tbody>
      {#each rows as x, i (i)}
        <tr class:differs={x.differs}>
          {#each x.r as c, k (k)}
            <td
              >{#if c && side === "planned"}<Button class="value mono" data-tip="Copy it" onclick={() => copy(c)}>{c}</Button>{:else}<span
                  class="mono">{c}</span
                >{/if}</td
            >
          {/each}
        </tr>
      {:else}
        <tr><td colspan={t.head.length} class="same">as it should be</td></tr>
      {/each}
    </tbody>
  </Table>
{/snippet}

<div class="tables">
  {#each pairs as p (p.t.title)}
    <div class="pair">
      {@render table(p.t, p.rows, "planned")}
      {#if p.other}{@render table(p.other, p.was, "found")}{/if}
    </div>
  {/each}
</div>

<style>
  .tables {
    margin-top: 12px;
    display: flex;
    flex-wrap: wrap;
    gap: 14px 28px;
    align-items: start;
  }
  .pair {
    display: flex;
    flex-wrap: wrap;
    gap: 14px;
    align-items: start;
    max-width: 100%;
    overflow-x: auto;
  }
  .tables :global(table) {
    border-collapse: collapse;
    font-size: 13px;
    background: var(--panel);
  }
  caption {
    text-align: left;
    font-weight: 700;
    padding-bottom: 3px;
  }
  th {
    text-align: left;
    font-size: 11px;
    color: var(--soft);
    border-bottom: 1.5px solid var(--ink);
    padding: 2px 9px;
    white-space: nowrap;
  }
  td {
    padding: 0 4px;
    border-bottom: 1px solid var(--hair);
    height: 28px;
  }
  td span {
    padding: 0 5px;
  }
  .tables :global(.value) {
    border-color: transparent;
    background: none;
    padding: 0 5px;
    min-height: 26px;
    text-align: left;
  }
  .tables :global(.found) {
    opacity: 0.92;
    background: var(--paper);
  }
  .differs td {
    background: var(--plum-wash);
    font-weight: 650;
  }
  .same {
    color: var(--soft);
    padding: 4px 9px;
  }
  @media print {
    .tables :global(.value) {
      min-height: 0;
    }
    td {
      height: auto;
    }
    .tables :global(table) {
      break-inside: avoid;
    }
    .tables :global(.found) {
      display: none;
    }
  }
</style>
