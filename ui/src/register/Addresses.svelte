<script lang="ts">
  import { Button, Checkbox, Input, Select } from "flowbite-svelte";
  import type { Vlan } from "../api/client";
  import { office } from "../state/office.svelte";
  import { address, changed, type Address } from "./statement";
  import { back } from "../state/back";

  let { vlan }: { vlan: Vlan } = $props();

  const devices = $derived((office.shown?.devices ?? []).map((d) => d.name));
  const empty = (): Address => ({ device: devices[0] ?? "", address: "", on: "", zone: "", from: "", to: "", admits: "", gateway: false });
  let edited = $state<Address | null>(null);
  let was = $state.raw<Address | null>(null);
  let problem = $state("");
  const ports = $derived(
    office.shown?.devices.find((d) => d.name === edited?.device)?.ports.filter((p) => !p.bundle && p.kind !== "inner") ?? [],
  );

  const remove = (a: Address) => `-${a.device} address ${vlan.vid} ${a.address}`;
  async function keep() {
    if (!edited) return;
    const lines = was ? changed(vlan.vid, was, edited) : [address(vlan.vid, edited)];
    problem = await office.tryLines(lines);
    if (!problem) edited = was = null;
  }
  function edit(a: Address | null) {
    was = a;
    edited = a ? { ...a } : empty();
    problem = "";
  }
</script>

<section class="mt-2.5 pt-2 border-t border-hair">
  <h3 class="mb-1 font-bold">Addresses</h3>
  {#each vlan.addresses ?? [] as a (a.device + a.address)}
    <p class="line mb-1 gap-1.5 flex">
      <Button class="mono what flex-1 text-left text-[12px]" onclick={() => edit(a)} data-tip="Change it"
        ><b>{a.device}</b>
        {a.address}{a.on ? ` on ${a.on}` : ""}{a.zone ? `, zone ${a.zone}` : ""}{a.from ? `, hands out ${a.from} to ${a.to}` : ""}{a.admits
          ? `, admits ${a.admits === "-" ? "nothing" : a.admits}`
          : ""}{a.gateway ? ", the gateway" : ""}</Button
      >
      <Button aria-label={`Remove ${a.address}`} onclick={() => office.edit({ lines: [remove(a)] })}>×</Button>
    </p>
  {/each}
  {#if edited}
    <form class="gap-1.25 grid" {@attach back} onsubmit={(e) => (e.preventDefault(), void keep())}>
      <label
        >Device <Select placeholder="" classes={{ select: "field" }} bind:value={edited.device}
          >{#each devices as d (d)}<option>{d}</option>{/each}</Select
        ></label
      >
      <label>Address <Input class="field mono" bind:value={edited.address} placeholder="10.61.110.1/24" /></label>
      <label
        >On port <Select placeholder="" classes={{ select: "field" }} bind:value={edited.on}
          ><option value="">the device itself</option>{#each ports as p (p.name)}<option>{p.name}</option>{/each}</Select
        ></label
      >
      <label>Zone <Input class="field" bind:value={edited.zone} /></label>
      <label
        >Hands out <span
          ><Input class="field mono half w-31.5! text-[12px]" bind:value={edited.from} placeholder="from" aria-label="first address" />
          <Input class="field mono half w-31.5! text-[12px]" bind:value={edited.to} placeholder="to" aria-label="last address" /></span
        ></label
      >
      <label
        >Admits <Input
          class="field mono"
          bind:value={edited.admits}
          placeholder="everything; - for nothing"
          data-tip="What the device itself answers there"
        /></label
      >
      <label class="check"><Checkbox bind:checked={edited.gateway} /> the gateway that hosts use</label>
      {#if problem}<p class="wrong" role="alert">{problem}</p>{/if}
      <p class="acts gap-2 flex">
        <Button type="submit" class="main">Save</Button>
        <Button type="button" onclick={() => (edited = null)}>Cancel</Button>
      </p>
    </form>
  {:else}
    <Button onclick={() => edit(null)}>Add an address</Button>
  {/if}
</section>

<style>
  label {
    display: grid;
    grid-template-columns: 84px 1fr;
    align-items: center;
  }
  .check {
    display: flex;
    gap: 8px;
  }
</style>
