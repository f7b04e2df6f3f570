<script lang="ts">
  import { Button } from "flowbite-svelte";
  import type { Branch } from "../api/client";
  import { place } from "../state/place.svelte";
  import { selection } from "../state/selection.svelte";
  import Self from "./Tree.svelte";

  let { branch, vid, root = false }: { branch: Branch; vid: number; root?: boolean } = $props();

  /** Goes to the port on the board. */
  function go(port: string) {
    place.view("board");
    requestAnimationFrame(() => {
      selection.goTo(`${branch.device}.${port}`, vid);
      document.getElementById("board")?.focus();
    });
  }
  const letter = { untagged: "U", tagged: "T", none: "×" };
</script>

<li class="py-0.75 pl-6.5 relative list-none" class:root class:cut={branch.cut} class:broken={branch.broken}>
  <div class="gap-2 flex flex-wrap items-baseline">
    {#if branch.via}
      <span class="mono text-soft text-[12px]">{branch.via} ⇄ {branch.port}</span>
      {#if branch.broken}<b class="text-red text-[12px] font-[650]">the cable does not carry it</b>{/if}
    {/if}
    <b class="device text-[15px]">{branch.device}</b>
    {#if root && !branch.cut}<span class="text-soft text-[12px]">from here</span>{/if}
    {#if branch.cut}<span class="text-red text-[12px] font-[650]">cut off</span>{/if}
  </div>
  {#if branch.places.length}
    <div class="places mt-0.75 mb-1 gap-1 flex flex-wrap">
      {#each branch.places as p (p.port)}
        <Button
          class="place"
          onclick={() => go(p.port)}
          data-tip={`${branch.device} ${p.port}: ${p.as === "none" ? "not a member" : p.as}; go there`}
        >
          <b class={p.as}>{letter[p.as]}</b>
          <span class="mono">{p.port}</span>
          {#if p.plugs.length}<span class="plug text-soft">{p.plugs.join(", ")}</span>{:else if p.kind === "inner"}<span
              class="plug text-soft">inner</span
            >{/if}
        </Button>
      {/each}
    </div>
  {/if}
  {#if branch.branches.length}
    <ul>
      {#each branch.branches as b (b.device + b.port)}<Self branch={b} {vid} />{/each}
    </ul>
  {/if}
</li>

<style>
  li::before {
    content: "";
    position: absolute;
    left: 4px;
    top: 0;
    height: 17px;
    width: 16px;
    border: solid var(--vlan);
    border-width: 0 0 2px 2px;
  }
  li:not(:last-child)::after {
    content: "";
    position: absolute;
    left: 4px;
    top: 0;
    bottom: 0;
    border-left: 2px solid var(--vlan);
  }
  .broken::before {
    border-color: var(--red);
    border-style: dashed;
  }
  .root {
    padding-left: 0;
  }
  .root::before {
    display: none;
  }
  li :global(.place) {
    display: flex;
    gap: 6px;
    align-items: center;
    padding: 1px 8px 1px 3px;
    font-size: 13px;
  }
  li :global(.place b) {
    width: 18px;
    font-size: 11px;
    line-height: 18px;
    text-align: center;
    font-family: var(--font-mono);
  }
  .untagged {
    background: var(--vlan);
    color: var(--on-vlan);
  }
  .tagged {
    color: var(--vlan);
    border: solid var(--vlan);
    border-width: 0 2px;
  }
  .none {
    color: var(--red);
  }
</style>
