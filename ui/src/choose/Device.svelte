<script lang="ts">
  import { Input, Select } from "flowbite-svelte";
  import { wordings } from "../api/words";
  import { asks } from "../devices/asks";
  import { office } from "../state/office.svelte";
  import Choose from "./Choose.svelte";
  import { device, type Chosen } from "./said";

  let { ontake, label = "what it is" }: { ontake: (says: string) => Promise<boolean> | boolean; label?: string } = $props();

  const kinds = [
    ["switch", "switch"],
    ["unmanaged", "switch that knows no VLANs"],
    ["firewall", "firewall"],
    ["router", "router"],
    ["wap", "access point"],
    ["host", "server or other host"],
    ["other", "something else"],
  ] as const;
  const speeds = ["100M", "1G", "2.5G", "5G", "10G", "25G", "40G", "100G"];
  const vlans = $derived((office.shown?.vlans ?? []).filter((v) => v.registered));
  let open = $state(false);
  let d = $state<Chosen>({
    kind: "switch",
    ports: "24",
    speed: "1G",
    more: "",
    fast: "10G",
    wording: "",
    follows: "",
    managed: "",
    address: "",
  });
  const said = $derived(device(d));
</script>

<Choose {label} line={said} ready={!!d.ports} bind:open ondo={() => ontake(said)}>
  <label
    >Kind <Select placeholder="" classes={{ select: "field" }} bind:value={d.kind}
      >{#each kinds as [k, says] (k)}<option value={k}>{says}</option>{/each}</Select
    ></label
  >
  <span class="gap-y-1.5 gap-x-3 grid grid-cols-[repeat(auto-fit,minmax(180px,1fr))]">
    <label>Ports <Input class="field" inputmode="numeric" bind:value={d.ports} /></label>
    <label
      >how fast <Select placeholder="" classes={{ select: "field" }} bind:value={d.speed}
        >{#each speeds as x (x)}<option>{x}</option>{/each}</Select
      ></label
    >
    <label>and more <Input class="field" inputmode="numeric" bind:value={d.more} placeholder="none" /></label>
    <label
      >how fast <Select placeholder="" classes={{ select: "field" }} bind:value={d.fast}
        >{#each speeds as x (x)}<option>{x}</option>{/each}</Select
      ></label
    >
  </span>
  {#if d.kind !== "unmanaged"}
    <label
      >It asks <Select placeholder="" classes={{ select: "field" }} bind:value={d.wording}
        ><option value="">nobody knows yet</option>{#each wordings as w (w)}<option value={w}>{asks(w)}</option>{/each}</Select
      ></label
    >
    <label
      >Follows <Select placeholder="" classes={{ select: "field" }} bind:value={d.follows}
        ><option value="">no plan</option>{#each office.shown?.plans ?? [] as p (p.name)}<option>{p.name}</option>{/each}</Select
      ></label
    >
    <span class="gap-y-1.5 gap-x-3 grid grid-cols-[repeat(auto-fit,minmax(180px,1fr))]">
      <label
        >Managed in <Select placeholder="" classes={{ select: "field" }} bind:value={d.managed}
          ><option value="">nobody said</option>{#each vlans as v (v.vid)}<option value={String(v.vid)}>{v.vid} {v.name}</option
            >{/each}</Select
        ></label
      >
      <label>at <Input class="field mono" bind:value={d.address} disabled={!d.managed} placeholder="10.0.190.4" /></label>
    </span>
  {/if}
</Choose>

<style>
  label {
    display: grid;
    grid-template-columns: 76px minmax(0, 1fr);
    align-items: center;
    gap: 8px;
  }
</style>
