<script lang="ts">
  import { Input, Select } from "flowbite-svelte";
  import type { Device } from "../api/client";
  import { office } from "../state/office.svelte";
  import Choose from "./Choose.svelte";
  import { manage } from "./said";

  let { device, ontake }: { device: Device; ontake: (text: string) => Promise<boolean> | boolean } = $props();

  const vlans = $derived((office.shown?.vlans ?? []).filter((v) => v.registered));
  let open = $state(false);
  let vid = $state("");
  let address = $state("");
  let prefix = $state("");
  let via = $state("");
  $effect(() => {
    if (open) return;
    // As notation has it: 190 10.0.190.4/24 via 10.0.190.1
    const words = (device.manageText ?? "").split(" ");
    vid = device.manageVid ? String(device.manageVid) : "";
    [address = "", prefix = ""] = (words[1] === "via" ? "" : (words[1] ?? "")).split("/") as [string?, string?];
    via = words[words.indexOf("via") + 1] ?? "";
    if (!words.includes("via")) via = "";
  });
  const vlan = $derived(vlans.find((v) => String(v.vid) === vid));
  const said = $derived(manage(vid, address, prefix, via));
</script>

<Choose label={`where ${device.name} is managed`} line={`${device.name} manage ${said}`} ready={!!vid} bind:open ondo={() => ontake(said)}>
  <label class="gap-2 grid grid-cols-[100px_minmax(0,1fr)] items-center"
    >VLAN <Select placeholder="" classes={{ select: "field" }} bind:value={vid}
      ><option value="">choose</option>{#each vlans as v (v.vid)}<option value={String(v.vid)}>{v.vid} {v.name}</option>{/each}</Select
    ></label
  >
  <label class="gap-2 grid grid-cols-[100px_minmax(0,1fr)] items-center"
    >Address <Input class="field mono" bind:value={address} placeholder={vlan?.nets[0] ? `one of ${vlan.nets[0]}` : "10.0.190.4"} /></label
  >
  <label class="gap-2 grid grid-cols-[100px_minmax(0,1fr)] items-center"
    >Prefix length <Input
      class="field mono"
      bind:value={prefix}
      placeholder={vlan?.nets[0]?.split("/")[1] ?? "24"}
      inputmode="numeric"
    /></label
  >
  <label class="gap-2 grid grid-cols-[100px_minmax(0,1fr)] items-center"
    >Default gateway <Input class="field mono" bind:value={via} placeholder={vlan?.gateway?.split(" ").at(-1) ?? "the VLAN's"} /></label
  >
</Choose>
