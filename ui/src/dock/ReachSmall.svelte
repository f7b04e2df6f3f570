<script lang="ts">
  import { selection } from "../state/selection.svelte";
  import ReachBranch from "./ReachBranch.svelte";

  const v = $derived(selection.vlan);
  const reach = $derived(selection.explained?.reach);
</script>

<div class="reach">
  {#if v}
    <h2>{v.vid} {v.name}</h2>
    <p class="mono net">
      {[v.nets[0], v.gateway && `gateway ${v.gateway}`].filter(Boolean).join(" · ") ||
        (v.local ? "local: no gateway is meant" : "no subnet")}
    </p>
    {#if reach?.vid === v.vid}
      {#each reach.roots as root (root.device + root.port)}
        <ul class="tree" class:apart={root.cut}><ReachBranch branch={root} root /></ul>
      {:else}
        <p class="none">Nothing is in it.</p>
      {/each}
    {/if}
  {/if}
</div>

<style>
  .net {
    font-size: 12px;
    color: var(--soft);
    margin-bottom: 6px;
    overflow-wrap: anywhere;
  }
  .tree {
    font-size: 12.5px;
    line-height: 1.5;
  }
  .apart {
    margin-top: 6px;
    border-top: 1px dashed var(--red);
    padding-top: 4px;
  }
  .none {
    color: var(--soft);
  }
</style>
