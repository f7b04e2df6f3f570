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
  <label class="gap-2 grid grid-cols-[minmax(84px,auto)_minmax(0,1fr)] items-center"
    >Untagged <Select placeholder="" classes={{ select: "field" }} bind:value={s.untagged}
      ><option value={0}>none</option>{#each vlans as v (v.vid)}<option value={v.vid}>{v.vid} {v.name}</option>{/each}</Select
    ></label
  >
  <label class="gap-2 grid grid-cols-[minmax(84px,auto)_minmax(0,1fr)] items-center"
    >Tagged <Select placeholder="" classes={{ select: "field" }} bind:value={s.rest}
      ><option value="">those ticked here</option><option value="needed">what is needed on its cable</option><option value="all"
        >every VLAN of the register</option
      ></Select
    ></label
  >
  {#if !s.rest}
    <div class="ticks gap-y-1 gap-x-2.5 grid grid-cols-[repeat(auto-fill,minmax(130px,1fr))]" role="group" aria-label="Tagged VLANs">
      {#each vlans.filter((v) => v.vid !== s.untagged) as v (v.vid)}
        <label class="gap-1.25 grid-cols-[minmax(84px,auto)_minmax(0,1fr)] items-center flex"
          ><Checkbox checked={s.tagged.includes(v.vid)} onchange={() => toggle(v.vid)} /> <span class="mono">{v.vid}</span> {v.name}</label
        >
      {/each}
    </div>
  {/if}
  <label class="gap-2 grid grid-cols-[minmax(84px,auto)_minmax(0,1fr)] items-center"
    >Frames without a tag join <Select placeholder="" classes={{ select: "field" }} bind:value={s.pvid}
      ><option value={0}>the untagged VLAN</option>{#each vlans.filter((v) => v.vid !== s.untagged) as v (v.vid)}<option value={v.vid}
          >{v.vid} {v.name} (PVID)</option
        >{/each}</Select
    ></label
  >
</Choose>
