<script lang="ts">
  import { may, only } from "../state/may.svelte";
  import { Button, Input, Select } from "flowbite-svelte";
  import type { Device } from "../api/client";
  import { deviceFacts, forwardings, wordings } from "../api/words";
  import { office } from "../state/office.svelte";
  import { pending } from "../state/pending.svelte";
  import { asks, forwarded } from "./asks";
  import { label, noted } from "./noted";
  import Limits from "../choose/Limits.svelte";
  import Manage from "../choose/Manage.svelte";
  import Replace from "./Replace.svelte";
  import Inside from "./Inside.svelte";
  import Kept from "../shell/Kept.svelte";
  import { place } from "../state/place.svelte";

  let { device }: { device: Device } = $props();

  let to = $state("");
  let copy = $state("");
  let more = $state("");
  let problem = $state("");
  const n = $derived(device.name);

  const say = async (...lines: string[]) => (problem = await office.tryLines(lines)) === "";
  const ask = (...lines: string[]) => office.tryLines(lines);
  const went = (name: string) => place.go(place.href("devices", { device: name }), true);
  async function rename() {
    const name = to.trim();
    if (name && (await say(`rename device ${n} to ${name}`))) went(name);
  }
  async function again() {
    const name = copy.trim();
    if (name && (await say(`copy ${n} to ${name}`))) went(name);
  }
  const line = async () => more.trim() && (await say(`${n} ${more.trim()}`)) && (more = "");
</script>

<h2 class="mb-1.5 font-bold text-[15px]">{n}</h2>
<div class="facts gap-1.25 grid">
  <label data-tip="How the device asks for memberships: its sheet is written so"
    >Asks <Select
      placeholder=""
      classes={{ select: "field" }}
      value={device.wording?.split(" ")[0] ?? ""}
      onchange={(e) => say(e.currentTarget.value ? `${n} wording ${e.currentTarget.value}` : `-${n} wording`)}
      ><option value="">nobody said: each port as it is</option>{#each wordings as w (w)}<option value={w}>{asks(w)}</option>{/each}</Select
    ></label
  >
  <label
    >Forwarding <Select
      placeholder=""
      classes={{ select: "field" }}
      value={device.forwarding}
      onchange={(e) => say(`${n} forwarding ${e.currentTarget.value}`)}
      >{#each forwardings as f (f)}<option value={f}>{forwarded(f)}</option>{/each}</Select
    ></label
  >
  <label
    >Follows <Select
      placeholder=""
      classes={{ select: "field" }}
      value={device.follows ?? ""}
      onchange={(e) => pending.propose([e.currentTarget.value ? `follow ${n} ${e.currentTarget.value}` : `-${n} follows`])}
      ><option value="">no plan</option>{#each office.shown?.plans ?? [] as p (p.name)}<option>{p.name}</option>{/each}</Select
    ></label
  >
  <label
    >Managed in <Kept
      mono
      value={device.manageText ?? ""}
      placeholder="190 10.61.190.4/24 via 10.61.190.1"
      data-tip="VLAN, address with prefix length, and the default gateway it was told (via none: it has none). What is not said is the VLAN's."
      onkeep={(text) => ask(text.trim() ? `${n} manage ${text}` : `-${n} manage`)}
    /></label
  >
  <span class="beside ml-25 grid justify-items-start"><Manage {device} ontake={(text) => say(`${n} manage ${text}`)} /></span>
  <label
    >Fresh at <Kept
      mono
      value={device.factory ?? ""}
      placeholder="192.168.1.1/24 in 1"
      data-tip="Where it answers as it comes out of its box: orders begin there"
      onkeep={(text) => ask(text.trim() ? `${n} factory ${text}` : `-${n} factory`)}
    /></label
  >
  <label
    >Limits <Kept
      mono
      value={device.limits ?? ""}
      placeholder="vlans 64 rows 16"
      onkeep={(text) => ask(text.trim() ? `${n} limit ${text}` : `-${n} limit`)}
    /></label
  >
  <span class="beside ml-25 grid justify-items-start"><Limits {device} ontake={(text) => say(`${n} limit ${text}`)} /></span>
  {#each deviceFacts as fact (fact)}
    <label
      >{label(fact)}
      <Kept value={device.facts?.[fact] ?? ""} maxlength={500} data-fact={fact} onkeep={(text) => ask(noted(n, fact, text))} /></label
    >
  {/each}
</div>
<Inside {device} {say} />
<form class="mt-1.5 gap-2 flex" onsubmit={(e) => (e.preventDefault(), void line())}>
  <Input
    class="field mono flex-1 min-w-0 text-[13px]"
    id="device-line"
    bind:value={more}
    placeholder={"or type it: bundle up lacp 7-8"}
    aria-label={`A statement of ${n}`}
    spellcheck="false"
  />
  <Button type="submit" disabled={!more.trim()}>Add</Button>
</form>
{#if problem}<p class="wrong" role="alert">{problem}</p>{/if}
<div class="turn mt-2.5 pt-1.5 border-t border-hair gap-1.25 grid">
  <form class="mt-1.5 gap-2 flex" onsubmit={(e) => (e.preventDefault(), void again())}>
    <label
      >Start another like it <Input
        class="field mono flex-1 min-w-0 text-[13px]"
        id="copy-name"
        bind:value={copy}
        placeholder="its name"
      /></label
    >
  </form>
  <form class="mt-1.5 gap-2 flex" onsubmit={(e) => (e.preventDefault(), void rename())}>
    <label>Rename to <Input class="field mono flex-1 min-w-0 text-[13px]" id="device-rename" bind:value={to} /></label>
  </form>
  <Replace {device} />
  <Button onclick={() => pending.propose([`-device ${n}`])} {...only(may.plan)}>Remove it…</Button>
</div>

<style>
  label {
    display: grid;
    grid-template-columns: 92px minmax(0, 1fr);
    align-items: center;
    gap: 8px;
  }
  .beside :global([role="group"]) {
    margin-left: -100px;
    margin-top: 5px;
    justify-self: stretch;
  }
  .turn label {
    grid-template-columns: 150px minmax(0, 1fr);
    width: 100%;
  }
  .turn :global(button) {
    justify-self: start;
  }
</style>
