<script lang="ts">
  import { may, only } from "../state/may.svelte";
  import { Button, Checkbox, Input, Select } from "flowbite-svelte";
  import type { Device } from "../api/client";
  import { quote } from "../line/quote";
  import { office } from "../state/office.svelte";
  import { pending } from "../state/pending.svelte";
  import { place } from "../state/place.svelte";
  import Kept from "../shell/Kept.svelte";
  import { back } from "../state/back";
  import { changed } from "../register/statement";

  let { device, say }: { device: Device; say: (...lines: string[]) => Promise<boolean> } = $props();

  const n = $derived(device.name);
  const front = $derived(device.ports.filter((p) => p.kind === "physical"));
  const bundles = $derived(device.ports.filter((p) => p.kind === "bundle"));
  const inner = $derived(device.ports.filter((p) => p.kind === "inner"));
  const vlans = $derived((office.shown?.vlans ?? []).filter((v) => v.registered));
  const addresses = $derived(
    (office.shown?.vlans ?? []).flatMap((v) =>
      (v.addresses ?? []).filter((a) => a.device === n).map((a) => ({ ...a, vid: v.vid, name: v.name })),
    ),
  );
  const speeds = ["10M", "100M", "1G", "2.5G", "5G", "10G", "25G", "40G", "100G"];
  const flavours = [
    ["ssid", "a network name (SSID)"],
    ["vm", "a virtual machine's port"],
    ["cpu", "its own processor"],
  ] as const;

  let open = $state("");
  let i = $state({ name: "", flavour: "ssid", vid: "", tagged: false });
  let b = $state({ name: "", mode: "lacp", ports: "" });
  let a = $state({ vid: "", address: "", on: "", from: "", to: "", zone: "" });
  let s = $state({ ports: "", speed: "1G" });
  let r = $state({ to: "", via: "" });
  let o = $state({ name: "", on: "", vlan: "", address: "", via: "" });

  const innerLine = $derived(`${n} inner ${quote(i.name.trim())} ${i.flavour}: ${i.vid ? (i.tagged ? `[${i.vid}]` : i.vid) : "-"}`);
  const bundleLine = $derived(`${n} bundle ${quote(b.name.trim())} ${b.mode} ${b.ports.trim()}`);
  const addressLine = $derived(
    `${n} address ${a.vid} ${a.address.trim()}${a.on ? ` on ${quote(a.on)}` : ""}${a.zone.trim() ? ` zone ${quote(a.zone.trim())}` : ""}${a.from.trim() ? ` handout ${a.from.trim()}-${a.to.trim()}` : ""}`,
  );
  const speedLine = $derived(`${n} ports ${s.ports.trim()} ${s.speed}`);
  const lines = $derived({
    inner: i.name.trim() ? innerLine : "",
    bundle: b.name.trim() && b.ports.trim() ? bundleLine : "",
    address: a.vid && a.address.trim() ? addressLine : "",
    speed: s.ports.trim() ? speedLine : "",
    route: r.via.trim() ? `${n} route ${r.to.trim() || "default"} via ${r.via.trim()}` : "",
    outside:
      o.name.trim() && o.on
        ? `${n} outside ${o.name.trim()} on ${quote(o.on)}${o.vlan ? ` vlan ${o.vlan}` : ""}${o.address.trim() ? ` ${o.address.trim()}` : ""}${o.via.trim() ? ` via ${o.via.trim()}` : ""}`
        : "",
  } as Record<string, string>);

  async function add() {
    const line = lines[open];
    if (!line || !(await say(line))) return;
    i = { ...i, name: "" };
    b = { ...b, name: "", ports: "" };
    a = { vid: "", address: "", on: "", from: "", to: "", zone: "" };
    s = { ...s, ports: "" };
    r = { to: "", via: "" };
    o = { name: "", on: "", vlan: "", address: "", via: "" };
  }
  /** Changes an address in place, as one edit. */
  const change = (x: (typeof addresses)[number], to: { from?: string; to?: string; address?: string; zone?: string }) =>
    office.tryLines(changed(x.vid, x, { ...x, ...to }));
</script>

{#if bundles.length || inner.length || addresses.length || device.routes?.length || device.outsides?.length || device.rules?.length}
  <h3 class="mt-2.5 mb-0.5 font-bold">In it</h3>
  {#each bundles as x (x.name)}
    <p class="row mb-1 gap-1.5 flex flex-wrap items-center text-[13px]">
      <b>{x.name}</b> <span class="flex-1">bundle of {x.members?.join(", ")}: <span class="mono">{x.shape}</span></span>
      <Select
        placeholder=""
        classes={{ select: "field" }}
        aria-label={`How ${x.name} is agreed on`}
        value={x.mode}
        onchange={(e) => say(`${n} bundle ${quote(x.name)} ${e.currentTarget.value} ${(x.members ?? []).map(quote).join(",")}`)}
        ><option>lacp</option><option>static</option></Select
      >
      <Button
        aria-label={`Remove the bundle ${x.name}`}
        onclick={() => pending.propose([`-${n} bundle ${quote(x.name)}`])}
        {...only(may.plan)}>×</Button
      >
    </p>
  {/each}
  {#each inner as x (x.name)}
    <p class="row mb-1 gap-1.5 flex flex-wrap items-center text-[13px]">
      <b>{x.name}</b> <span class="flex-1">{flavours.find((f) => f[0] === x.flavour)?.[1]}</span>
      <Kept
        mono
        aria-label={`The VLAN of ${x.name}`}
        value={x.shape}
        onkeep={(text) => office.tryLines([`${n} ${quote(x.name)}: ${text}`])}
      />
      <Button
        aria-label={`Remove the inner port ${x.name}`}
        onclick={() => pending.propose([`-${n} inner ${quote(x.name)}`])}
        {...only(may.plan)}>×</Button
      >
    </p>
  {/each}
  {#each device.outsides ?? [] as x (x.name)}
    <p class="row mb-1 gap-1.5 flex flex-wrap items-center text-[13px]">
      <b>{x.name}</b>
      <span class="flex-1"
        >line to the outside on <span class="mono">{x.on}{x.vid ? ` [${x.vid}]` : ""}</span>, {x.address
          ? `${x.address} via ${x.via ?? "nobody"}`
          : "its address comes from there"}</span
      >
      <Button aria-label={`Remove the line ${x.name}`} onclick={() => pending.propose([`-${n} outside ${x.name}`])} {...only(may.plan)}
        >×</Button
      >
    </p>
  {/each}
  {#each device.routes ?? [] as x (x)}
    <p class="row mb-1 gap-1.5 flex flex-wrap items-center text-[13px]">
      <b>route</b> <span class="mono flex-1">{x}</span>
      <Button aria-label={`Remove the route ${x}`} onclick={() => pending.propose([`-${n} route ${x}`])} {...only(may.plan)}>×</Button>
    </p>
  {/each}
  {#if device.routing || device.rules?.length}
    <p class="row mb-1 gap-1.5 flex flex-wrap items-center text-[13px]">
      <b>routes</b>
      <span class="flex-1"
        >{device.rules?.length ?? 0} rules, {device.keepsState ? "keeps state" : "keeps no state"}{device.otherwise
          ? `; ${device.otherwise}`
          : ""}</span
      >
      <a href={place.href("talk")}>in their order</a>
    </p>
  {/if}
  {#each addresses as x (`${x.vid} ${x.address}`)}
    <div
      class="row address mb-1 pb-1.5 border-b border-hair gap-1.5 flex-wrap text-[13px] grid grid-cols-[62px_minmax(0,1fr)_auto_minmax(0,1fr)] items-start narrow:grid-cols-[minmax(0,1fr)_auto_minmax(0,1fr)]"
    >
      <b class="mono narrow:col-span-full">{x.vid}</b>
      <span class="col-span-3 gap-1.5 flex items-start">
        <Kept
          mono
          aria-label={`The address of ${n} in ${x.vid} ${x.name}`}
          value={x.address}
          onkeep={(text) => change(x, { address: text.trim() })}
        />
        <Button
          aria-label={`Remove the address ${x.address}`}
          onclick={() => pending.propose([`-${n} address ${x.vid} ${x.address}`])}
          {...only(may.plan)}>×</Button
        >
      </span>
      <span class="hands narrow:col-span-full">hands out</span>
      <Kept
        mono
        aria-label={`The first address handed out in ${x.vid}`}
        value={x.from ?? ""}
        placeholder="nothing"
        onkeep={(text) => change(x, { from: text.trim(), to: text.trim() ? x.to || text.trim() : "" })}
      />
      <span>to</span>
      <Kept
        mono
        aria-label={`The last address handed out in ${x.vid}`}
        value={x.to ?? ""}
        onkeep={(text) => change(x, { to: text.trim() })}
      />
    </div>
  {/each}
{/if}
<div class="kinds mt-2 mb-1 gap-1.5 flex flex-wrap" role="toolbar" aria-label="Add to the device">
  {#each [["inner", "SSID or inner port…"], ["bundle", "Bundle…"], ["address", "Address…"], ["speed", "Speed…"], ["route", "Route…"], ["outside", "Line outside…"]] as [k, says] (k)}
    <Button aria-expanded={open === k} onclick={() => (open = open === k ? "" : k!)}>{says}</Button>
  {/each}
</div>
{#if open}
  <form class="mb-2 pl-2.5 border-l-3 border-plum gap-1.25 grid" {@attach back} onsubmit={(e) => (e.preventDefault(), void add())}>
    {#if open === "inner"}
      <label
        >What <Select placeholder="" classes={{ select: "field" }} bind:value={i.flavour}
          >{#each flavours as [f, says] (f)}<option value={f}>{says}</option>{/each}</Select
        ></label
      >
      <label>Name <Input class="field" id="inner-name" bind:value={i.name} placeholder="Waiting room" /></label>
      <label
        >VLAN <Select placeholder="" classes={{ select: "field" }} bind:value={i.vid}
          ><option value="">none</option>{#each vlans as v (v.vid)}<option value={String(v.vid)}>{v.vid} {v.name}</option>{/each}</Select
        ></label
      >
      <label class="check"><Checkbox bind:checked={i.tagged} /> tagged</label>
    {:else if open === "bundle"}
      <label>Name <Input class="field" id="bundle-name" bind:value={b.name} placeholder="store" /></label>
      <label>Ports <Input class="field mono" bind:value={b.ports} placeholder="13-14" list="bundle-ports" /></label>
      <datalist id="bundle-ports"
        >{#each front as p (p.name)}<option value={p.name}></option>{/each}</datalist
      >
      <label
        >Agreed on <Select placeholder="" classes={{ select: "field" }} bind:value={b.mode}
          ><option value="lacp">by LACP</option><option value="static">by nothing: static</option></Select
        ></label
      >
    {:else if open === "address"}
      <label
        >VLAN <Select placeholder="" classes={{ select: "field" }} id="address-vlan" bind:value={a.vid}
          ><option value="">which</option>{#each vlans as v (v.vid)}<option value={String(v.vid)}>{v.vid} {v.name}</option>{/each}</Select
        ></label
      >
      <label>Address <Input class="field mono" bind:value={a.address} placeholder="10.61.110.1/24" /></label>
      {#if device.forwarding === "routed"}<label
          >On port <Select placeholder="" classes={{ select: "field" }} bind:value={a.on}
            ><option value="">which</option>{#each device.ports.filter((p) => !p.bundle) as p (p.name)}<option>{p.name}</option
              >{/each}</Select
          ></label
        >{/if}
      <label
        >Hands out <Input class="field mono" bind:value={a.from} placeholder="from" />
        <Input class="field mono" bind:value={a.to} placeholder="to" aria-label="to" /></label
      >
      <label>Zone <Input class="field" bind:value={a.zone} /></label>
    {:else if open === "route"}
      <label>To <Input class="field mono" id="route-to" bind:value={r.to} placeholder="default" /></label>
      <label
        >By <Input class="field mono" id="route-via" bind:value={r.via} placeholder="10.61.250.2, or a line" list="route-lines" /></label
      >
      <datalist id="route-lines"
        >{#each device.outsides ?? [] as x (x.name)}<option value={x.name}></option>{/each}</datalist
      >
    {:else if open === "outside"}
      <label>Name <Input class="field" id="outside-name" bind:value={o.name} placeholder="fibre" /></label>
      <label
        >On port <Select placeholder="" classes={{ select: "field" }} bind:value={o.on} id="outside-on"
          ><option value="">which</option>{#each device.ports.filter((p) => !p.bundle) as p (p.name)}<option>{p.name}</option
            >{/each}</Select
        ></label
      >
      <label>In VLAN <Input class="field mono" bind:value={o.vlan} placeholder="none: on its own" /></label>
      <label>Address <Input class="field mono" bind:value={o.address} placeholder="comes from there" /></label>
      {#if o.address.trim()}<label>Next hop <Input class="field mono" bind:value={o.via} placeholder="203.0.113.1" /></label>{/if}
    {:else}
      <label>Ports <Input class="field mono" id="speed-ports" bind:value={s.ports} placeholder="1-24" /></label>
      <label
        >Speed <Select placeholder="" classes={{ select: "field" }} bind:value={s.speed}
          >{#each speeds as x (x)}<option>{x}</option>{/each}</Select
        ></label
      >
    {/if}
    <p class="line mono text-[12.5px] text-soft wrap-anywhere">{lines[open] || "…"}</p>
    <Button type="submit" class="main" disabled={!lines[open]}>Add</Button>
  </form>
{/if}

<style>
  label {
    display: grid;
    grid-template-columns: 82px minmax(0, 1fr) minmax(0, auto);
    align-items: center;
    gap: 8px;
  }
  .check {
    display: flex;
  }
  form :global(button) {
    justify-self: start;
  }
</style>
