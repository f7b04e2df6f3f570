<script lang="ts">
  import { selection } from "../state/selection.svelte";
  import ReachBranch from "./ReachBranch.svelte";

  const v = $derived(selection.vlan);
  const reach = $derived(selection.explained?.reach);
</script>

<div class="reach">
  {#if v}
    <h2>{v.vid} {v.name}</h2>
    <p class="mono net mb-1.5 text-[12px] text-soft wrap-anywhere">
      {[v.nets[0], v.gateway && `gateway ${v.gateway}`].filter(Boolean).join(" · ") ||
        (v.local ? "local: no gateway is meant" : "no subnet")}
    </p>
    {#if reach?.vid === v.vid}
      {#each reach.roots as root (root.device + root.port)}
        <ul class="tree text-[12.5px] leading-[1.5]" class:apart={root.cut}><ReachBranch branch={root} root /></ul>
      {:else}
        <p class="none text-soft">Nothing is in it.</p>
      {/each}
    {/if}
  {/if}
</div>

<style>
  .apart {
    margin-top: 6px;
    border-top: 1px dashed var(--red);
    padding-top: 4px;
  }
</style>
