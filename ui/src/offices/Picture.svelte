<!-- A sheet as it stands in the file: regions outlined, what became of each cell, and above each column what it is taken for. -->
<script lang="ts">
  import { Button, Select, Table } from "flowbite-svelte";
  import type { IntakeAnswer } from "../api/client";
  import { count } from "../shell/plural";
  import { heads, letters, type Above, type Line } from "./picture";

  let {
    sheet,
    regions,
    roles,
    said,
    out,
    ontake,
    onrow,
  }: {
    sheet: IntakeAnswer["sheets"][number];
    regions: IntakeAnswer["regions"];
    roles: IntakeAnswer["roles"];
    /** What was said of columns that no head says. */
    said: Above[];
    /** Rows that are left out. */
    out: Line[];
    /** Takes the column below a head for something else. */
    ontake: (row: number, column: number, role: string) => void;
    /** Leaves a row out, or takes it again. */
    onrow: (row: number) => void;
  } = $props();

  const here = $derived(regions.filter((r) => r.sheet === sheet.name));
  const shownColumns = $derived(Math.max(0, ...sheet.cells.map((r) => r.length)));
  const columns = $derived(Array.from({ length: shownColumns }, (_, k) => k + 1));
  /** By row, what its columns can be taken for: the head of a region, or the first row of a sheet in which nothing was found. */
  const above = $derived(heads(sheet, here, said, out));
  const gone = (row: number) => out.some((l) => l.sheet === sheet.name && l.row === row);
  const says = (role: string) => roles.find((r) => r.role === role)?.says ?? role;
  const what = { t: "taken", w: "not understood", l: "left where it is", "-": "" } as Record<string, string>;

  function edges(row: number, column: number): string {
    const r = here.find((r) => row >= r.row && row < r.row + r.rows && column >= r.column && column < r.column + r.columns);
    if (!r) return "";
    return [
      "in",
      row === r.row ? (r.bare ? "top bare" : "top") : "",
      row === r.row + r.rows - 1 ? "bottom" : "",
      column === r.column ? "left" : "",
      column === r.column + r.columns - 1 ? "right" : "",
    ].join(" ");
  }
</script>

<figure class="gap-1.5 grid grid-cols-1 min-w-0">
  <figcaption class="text-soft">
    <b class="text-ink">{sheet.name}</b>
    {#if here.length}{count(here.length, "block was", "blocks were")} found in it: {[...new Set(here.map((r) => r.is))].join(
        ", ",
      )}.{:else}Nothing was found in it. Say what its columns are, and it is read as a list.{/if}
    A row's number leaves it out.
    {#if sheet.rows > sheet.cells.length || sheet.columns > shownColumns}
      Drawn are the first {sheet.cells.length} of {sheet.rows} rows, {shownColumns} of {sheet.columns} columns; all are read.
    {/if}
  </figcaption>
  <!-- svelte-ignore a11y_no_noninteractive_tabindex: it scrolls -->
  <div
    class="paper border border-hair overflow-auto max-h-105 bg-panel"
    tabindex="0"
    role="region"
    aria-label={`${sheet.name}, as it stands in the file`}
  >
    <Table classes={{ div: "overflow-visible" }}>
      <thead>
        <tr>
          <td
            class="px-1.5 border-t-0 border-r border-b border-l-0 border-hair overflow-hidden max-w-37.5 h-5.5 text-ellipsis whitespace-nowrap"
          ></td>
          {#each columns as k (k)}<th
              class="px-1.5 py-px border-0 sticky left-0 bg-panel text-soft font-normal text-center top-0 z-1"
              scope="col">{letters(k)}</th
            >{/each}
        </tr>
      </thead>
      <tbody>
        {#each sheet.cells as cells, i (i)}
          {@const is = sheet.is[i]!}
          {@const choices = above.get(i + 1)}
          {#if choices}
            <tr class="for">
              <td
                class="px-0.75 pt-1 pb-0.5 border-0 overflow-hidden h-5.5 text-ellipsis whitespace-nowrap min-w-23 max-w-none first:min-w-0"
              ></td>
              {#each columns as k (k)}
                {@const role = choices.get(k)}
                <td
                  class="px-0.75 pt-1 pb-0.5 border-0 overflow-hidden h-5.5 text-ellipsis whitespace-nowrap min-w-23 max-w-none first:min-w-0"
                >
                  {#if role === "member"}<span class="text-soft">marks</span>
                  {:else if role !== undefined}
                    <Select
                      placeholder=""
                      size="sm"
                      classes={{ select: "field" }}
                      value={role}
                      aria-label={`What column ${letters(k)} of ${sheet.name} below row ${i + 1} is taken for`}
                      onchange={(e) => ontake(i + 1, k, e.currentTarget.value)}
                      >{#if !role}<option value="">–</option>{/if}{#each roles as r (r.role)}<option value={r.role}>{r.says}</option
                        >{/each}</Select
                    >
                  {/if}
                </td>
              {/each}
            </tr>
          {/if}
          <tr>
            <th class="px-1.5 py-px border-0 sticky left-0 bg-panel text-soft font-normal text-center" scope="row"
              ><Button
                type="button"
                class="row-number px-1 py-0 border-0 min-h-5 min-w-6 text-inherit! [font-size:inherit] bg-transparent! aria-pressed:text-plum! aria-pressed:line-through"
                aria-pressed={gone(i + 1)}
                aria-label={`Leave row ${i + 1} of ${sheet.name} out`}
                onclick={() => onrow(i + 1)}>{i + 1}</Button
              ></th
            >
            {#each columns as k (k)}
              {@const text = cells[k - 1] ?? ""}
              <td
                class={[
                  "px-1.5 py-0 border-t-0 border-r border-b border-l-0 border-hair overflow-hidden max-w-37.5 h-5.5 text-ellipsis whitespace-nowrap",
                  edges(i + 1, k),
                ]}
                class:gone={gone(i + 1)}
                class:wrongs={is[k - 1] === "w"}
                class:left-over={is[k - 1] === "l"}
                data-tip={text && is[k - 1] !== "t" ? `${text}: ${what[is[k - 1] ?? "-"]}` : text.length > 16 ? text : undefined}
                >{text}{#if is[k - 1] === "w" || is[k - 1] === "l"}<span class="sr-only">, {what[is[k - 1]!]}</span>{/if}</td
              >
            {/each}
          </tr>
        {/each}
      </tbody>
    </Table>
  </div>
  {#each here.filter((r) => r.device) as r (`${r.row} ${r.column}`)}
    <p class="text-soft">
      Rows {r.row} to {r.row + r.rows - 1}: <b>{r.device}</b>, {r.is}{#each r.heads.filter((h) => h.is !== "member" && h.text && h.is !== "port" && h.is !== "vlan" && h.is !== "name") as h (h.column)};
        {h.text}
        is {says(h.is)}{/each}.
    </p>
  {/each}
</figure>

<style>
  .paper :global(table) {
    border-collapse: separate;
    border-spacing: 0;
    font-size: 12.5px;
  }
  td.in {
    background: color-mix(in oklab, var(--plum) 6%, transparent);
  }
  td.top {
    border-top: 2px solid var(--plum);
    font-weight: 650;
  }
  td.top.bare {
    font-weight: 400;
  }
  td.gone {
    text-decoration: line-through;
  }
  td.bottom {
    border-bottom: 2px solid var(--plum);
  }
  td.left {
    border-left: 2px solid var(--plum);
  }
  td.right {
    border-right: 2px solid var(--plum);
  }
  td.wrongs {
    color: var(--red);
    text-decoration: underline wavy;
    text-underline-offset: 3px;
  }
  td.left-over {
    color: var(--soft);
    font-style: italic;
  }
  .for :global(select) {
    padding: 0 18px 0 4px;
    min-height: 24px;
    height: 24px;
    font-size: 12px;
  }
</style>
