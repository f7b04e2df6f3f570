<script lang="ts">
  import type { Branch } from "../api/client";
  import Self from "./ReachBranch.svelte";

  let { branch, root = false }: { branch: Branch; root?: boolean } = $props();
</script>

<li class="pl-3.75 relative list-none" class:root>
  <span class="node" class:cut={branch.cut}>
    {#if branch.via}<span class="mono text-soft text-[11px]">{branch.via}</span>{/if}
    {#if branch.broken}<span class="gap" data-tip="the cable does not carry it">┄×</span>{/if}
    <b>{branch.device}</b>
    {#if branch.ends}<span class="mono">{branch.ends}</span>{/if}
    {#if branch.cut && (branch.broken || root)}<span class="off text-[11px] font-bold">cut off</span>{/if}
  </span>
  {#if branch.branches.length}
    <ul>
      {#each branch.branches as b (b.device + b.port)}<Self branch={b} />{/each}
    </ul>
  {/if}
</li>

<style>
  li::before {
    content: "";
    position: absolute;
    left: 0;
    top: 0;
    height: 10px;
    width: 10px;
    border: solid var(--ink);
    border-width: 0 0 1.4px 1.4px;
  }
  li:not(:last-child)::after {
    content: "";
    position: absolute;
    left: 0;
    top: 0;
    bottom: 0;
    border-left: 1.4px solid var(--ink);
  }
  .root {
    padding-left: 0;
  }
  .root::before {
    display: none;
  }
  .cut,
  .gap,
  .off {
    color: var(--red);
  }
</style>
