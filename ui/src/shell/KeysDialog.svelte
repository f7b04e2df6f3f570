<script lang="ts">
  import { Modal } from "flowbite-svelte";
  import { panels } from "../state/panels.svelte";

  const keys: [string[], string][] = [
    [["←", "→", "↑", "↓"], "move; with Ctrl by devices"],
    [["Shift", "+", "arrows"], "select a block"],
    [["u"], "set the row's VLAN untagged, and the PVID with it"],
    [["t"], "set it tagged"],
    [["."], "take it off"],
    [["p"], "set the PVID alone"],
    [["b"], "bring the VLAN here, over every cable on the way"],
    [["w"], "withdraw it, off every cable that no longer needs it"],
    [["c"], "the cable in this port; an arrow goes back"],
    [["Enter"], "unfold the ports of a column, or fold them"],
    [["/"], "go to the line; Esc comes back"],
    [["Ctrl", "Z"], "undo; with Shift, redo"],
    [["?"], "these keys"],
  ];
</script>

<Modal bind:open={panels.keys} size="sm" title="Keys on the board" outsideclose class="rounded-sm bg-[var(--panel)] dark:bg-[var(--panel)]">
  <dl>
    {#each keys as [ks, what] (what)}
      <dt>{#each ks as k, i (i)}<kbd>{k}</kbd>{/each}</dt>
      <dd>{what}</dd>
    {/each}
  </dl>
</Modal>

<style>
  dl {
    display: grid;
    grid-template-columns: 150px 1fr;
    row-gap: 7px;
    color: var(--ink);
  }
  dt {
    display: flex;
    gap: 3px;
  }
</style>
