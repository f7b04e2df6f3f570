<script lang="ts">
  import { Table } from "flowbite-svelte";
  import type { Readings } from "../api/client";

  let { cables }: { cables: Readings["cables"] } = $props();

  const order = { none: 0, one: 1, unsaid: 2, both: 3 };
  const sorted = $derived([...cables].sort((a, b) => Number(a.planned) - Number(b.planned) || order[a.heard] - order[b.heard]));
  const says = (c: Readings["cables"][number]) =>
    c.planned
      ? {
          both: "as planned",
          one: "as planned, heard from one end",
          none: "planned, and not heard",
          unsaid: "planned; an end does not tell",
        }[c.heard]
      : c.known
        ? "heard, and not planned"
        : "heard; no device of this office";
  const spaced = (r: string) => r.replace(".", " ");
</script>

<section class="mt-4.5">
  <h2>Cables, as heard</h2>
  <Table class="listed">
    <tbody>
      {#each sorted as c (c.a + c.b)}
        <tr class:odd={(!c.planned && c.known) || c.says} class:quiet={c.planned && c.heard === "none"}>
          <td class="pl-1.5 border-l-3 border-l-transparent">{spaced(c.a)} – {spaced(c.b)}</td>
          <td class="text-soft">{says(c)}{c.says ? `; ${c.says.join("; ")}` : ""}</td>
        </tr>
      {:else}
        <tr><td class="text-soft">No cable yet.</td></tr>
      {/each}
    </tbody>
  </Table>
</section>

<style>
  .odd td:first-child {
    border-left-color: var(--amber);
  }
  .quiet td:first-child {
    border-left-color: var(--hair);
  }
</style>
