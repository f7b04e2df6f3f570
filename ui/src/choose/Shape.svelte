<script lang="ts">
  import { Checkbox, Select } from "flowbite-svelte";
  import { office } from "../state/office.svelte";
  import Choose from "./Choose.svelte";
  import { shape, type Shape } from "./said";

  let { label, now, ontake }: { label: string; now?: Partial<Shape>; ontake: (text: string) => Promise<boolean> | boolean } = $props();

  const vlans = $derived((office.shown?.vlans ?? []).filter((v) => v.registered));
  const none: Shape = { untagged: 0, tagged: [], rest: "", pvid: 0 };
  let open = $state(false);
  let s = $state<Shape>(none);
  $effect(() => {
    if (!open) s = { ...none, ...now, tagged: [...(now?.tagged ?? [])] };
  });
  const said = $derived(shape(s));
  const toggle = (vid: number) => (s.tagged = s.tagged.includes(vid) ? s.tagged.filter((v) => v !== vid) : [...s.tagged, vid]);
</script>

<Choose {label} line={said} bind:open ondo={() => ontake(said)}>
  <label
    >Untagged <Select placeholder="" classes={{ select: "field" }} bind:value={s.untagged}
      ><option value={0}>none</option>{#each vlans as v (v.vid)}<option value={v.vid}>{v.vid} {v.name}</option>{/each}</Select
    ></label
  >
  <label
    >Tagged <Select placeholder="" classes={{ select: "field" }} bind:value={s.rest}
      ><option value="">those ticked here</option><option value="needed">what is needed on its cable</option><option value="all"
        >every VLAN of the register</option
      ></Select
    ></label
  >
  {#if !s.rest}
    <div class="ticks" role="group" aria-label="Tagged VLANs">
      {#each vlans.filter((v) => v.vid !== s.untagged) as v (v.vid)}
        <label class="tick"
          ><Checkbox checked={s.tagged.includes(v.vid)} onchange={() => toggle(v.vid)} /> <span class="mono">{v.vid}</span> {v.name}</label
        >
      {/each}
    </div>
  {/if}
  <label
    >Frames without a tag join <Select placeholder="" classes={{ select: "field" }} bind:value={s.pvid}
      ><option value={0}>the untagged VLAN</option>{#each vlans.filter((v) => v.vid !== s.untagged) as v (v.vid)}<option value={v.vid}
          >{v.vid} {v.name} (PVID)</option
        >{/each}</Select
    ></label
  >
</Choose>

<style>
  label {
    display: grid;
    grid-template-columns: minmax(84px, auto) minmax(0, 1fr);
    align-items: center;
    gap: 8px;
  }
  .tick {
    display: flex;
    gap: 5px;
  }
  .ticks {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(130px, 1fr));
    gap: 4px 10px;
  }
</style>
