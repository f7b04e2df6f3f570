<!-- Which site is looked at, where the office has several. -->
<script lang="ts">
  import { Select } from "flowbite-svelte";
  import { sites } from "../state/sites.svelte";
</script>

{#if sites.list.length}
  <Select
    placeholder=""
    classes={{ select: "field" }}
    aria-label="Site"
    value={sites.chosen}
    onchange={(e) => sites.choose(e.currentTarget.value)}
  >
    <option value="all">every site</option>
    {#each sites.list as s (s)}<option value={s}>{s || "no site"}</option>{/each}
  </Select>
{/if}
