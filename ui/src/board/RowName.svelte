<script lang="ts">
  import type { Vlan } from "../api/client";
  import { stateOf } from "../state/vlanstate";

  let { vlan, onpick }: { vlan: Vlan; onpick: () => void } = $props();

  const bad = $derived(vlan.state === "split" || vlan.state === "merged");
  const state = $derived(stateOf(vlan));
</script>

<!-- svelte-ignore a11y_click_events_have_key_events -->
<span
  class="name"
  role="rowheader"
  tabindex="-1"
  onclick={onpick}
  data-tip={[`${state[0]}: ${state[1]}`, vlan.note, ...vlan.nets, vlan.gateway].filter(Boolean).join(" · ")}
>
  <i></i>
  <span class="vid mono">{vlan.vid}</span>
  <span class="text">{vlan.name || "not registered"}</span>
  <span class="state" class:bad>{state[0]}</span>
</span>

<style>
  .name {
    position: sticky;
    left: 0;
    z-index: 2;
    width: var(--names);
    height: var(--tall);
    padding: 0 8px 0 10px;
    display: flex;
    align-items: center;
    gap: 7px;
    background: inherit;
    font-size: 13px;
  }
  i {
    width: 5px;
    height: 12px;
    background: var(--vlan);
  }
  .vid {
    width: 32px;
    font-weight: 650;
    font-size: 13px;
  }
  .text {
    flex: 1;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .state {
    color: var(--soft);
    font-size: 11.5px;
  }
  .bad {
    color: var(--red);
    font-weight: 700;
  }
</style>
