<script lang="ts">
  import { Input, Select } from "flowbite-svelte";
  import type { Device } from "../api/client";
  import { office } from "../state/office.svelte";
  import Choose from "./Choose.svelte";
  import { rule } from "./said";

  let { device, ontake }: { device: Device; ontake: (text: string) => Promise<boolean> | boolean } = $props();

  const vlans = $derived((office.shown?.vlans ?? []).filter((v) => v.registered));
  const zones = $derived([
    ...new Set(vlans.flatMap((v) => (v.addresses ?? []).filter((a) => a.device === device.name && a.zone).map((a) => a.zone!))),
  ]);
  const hosts = $derived(
    (office.shown?.devices ?? []).flatMap((d) =>
      d.ports.flatMap((p) => (p.plugs ?? []).filter((g) => g.at).map((g) => ({ at: g.at!, name: g.name }))),
    ),
  );
  const common = [
    ["", "everything"],
    ["tcp/443", "web (tcp/443)"],
    ["tcp/80,tcp/443", "web, old and new (tcp/80, tcp/443)"],
    ["udp/53,tcp/53", "names (DNS)"],
    ["udp/123", "time (NTP)"],
    ["tcp/22", "shell (tcp/22)"],
    ["tcp/445", "files (tcp/445)"],
    ["tcp/9100,tcp/631", "printing (tcp/9100, tcp/631)"],
    ["ping", "ping"],
  ] as const;
  let open = $state(false);
  let act = $state("allow");
  let from = $state("");
  let to = $state("");
  let services = $state("");
  let note = $state("");
  const said = $derived(rule(act, from, to, services, note));
</script>

{#snippet ends()}
  <option value="">anybody</option>
  {#each zones as z (z)}<option value={`zone ${z}`}>zone {z}</option>{/each}
  {#each vlans as v (v.vid)}<option value={`vlan ${v.vid}`}>{v.vid} {v.name}</option>{/each}
  {#each hosts as h (`${h.at} ${h.name}`)}<option value={h.at}>{h.name} ({h.at})</option>{/each}
  <option value="outside">outside</option>
{/snippet}

<Choose label={`a rule of ${device.name}`} line={`${device.name} ${said}`} bind:open ondo={() => ontake(said)}>
  <label class="gap-2 grid grid-cols-[56px_minmax(0,1fr)] items-center"
    >What <Select placeholder="" classes={{ select: "field" }} bind:value={act}><option>allow</option><option>deny</option></Select></label
  >
  <label class="gap-2 grid grid-cols-[56px_minmax(0,1fr)] items-center"
    >From <Select placeholder="" classes={{ select: "field" }} bind:value={from}>{@render ends()}</Select></label
  >
  <label class="gap-2 grid grid-cols-[56px_minmax(0,1fr)] items-center"
    >To <Select placeholder="" classes={{ select: "field" }} bind:value={to}>{@render ends()}</Select></label
  >
  <label class="gap-2 grid grid-cols-[56px_minmax(0,1fr)] items-center"
    >By <Select placeholder="" classes={{ select: "field" }} bind:value={services}
      >{#each common as [s, says] (s)}<option value={s}>{says}</option>{/each}{#each office.shown?.services ?? [] as s (s.name)}<option
          >{s.name}</option
        >{/each}</Select
    ></label
  >
  <label class="gap-2 grid grid-cols-[56px_minmax(0,1fr)] items-center"
    >Why <Input class="field" bind:value={note} placeholder="who asked for it" /></label
  >
</Choose>
