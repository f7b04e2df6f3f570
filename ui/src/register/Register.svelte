<script lang="ts">
  import { may } from "../state/may.svelte";
  import Only from "../shell/Only.svelte";
  import { Table } from "flowbite-svelte";
  import { tick } from "svelte";
  import { hues } from "../state/hues.svelte";
  import { office } from "../state/office.svelte";
  import { place } from "../state/place.svelte";
  import { stateOf } from "../state/vlanstate";
  import Addresses from "./Addresses.svelte";
  import Entry from "./Entry.svelte";
  import Handouts from "./Handouts.svelte";
  import Next from "./Next.svelte";

  const vlans = $derived(office.shown?.vlans ?? []);
  const vid = $derived(Number(place.now.query.get("vlan")) || 0);
  const chosen = $derived(vlans.find((v) => v.vid === vid) ?? vlans[0]);
  const gateways = (v: (typeof vlans)[number]) => (v.addresses ?? []).map((a) => `${a.device} ${a.address.split("/")[0]}`).join(", ");
  const handouts = (v: (typeof vlans)[number]) =>
    (v.addresses ?? [])
      .filter((a) => a.from)
      .map((a) => `${a.from} to ${a.to}`)
      .join(", ");
  const choose = (v: number) => place.go(place.href("register", { vlan: v }), true);

  function keys(e: KeyboardEvent, at: number) {
    const to = vlans[e.key === "ArrowDown" ? at + 1 : e.key === "ArrowUp" ? at - 1 : -1];
    if (to) {
      e.preventDefault();
      choose(to.vid);
      void tick().then(() => document.querySelector<HTMLElement>(`[data-row-vid="${to.vid}"] a`)?.focus());
    }
  }
</script>

<div class="register px-7 pt-4.5 pb-10 gap-5 grid grid-cols-[minmax(0,1fr)_380px] items-start half:grid-cols-1">
  <section class="list">
    <h1>Register</h1>
    <p class="lead">The office's VLANs, with their subnets, the gateways that have an address in them, and the addresses handed out.</p>
    <Only why={may.plan}><Next /></Only>
    <Table class="listed">
      <thead>
        <tr><th>VID</th><th>Name</th><th>Subnets</th><th>Gateway</th><th>Hands out</th><th>State</th></tr>
      </thead>
      <tbody>
        {#each vlans as v, i (v.vid)}
          <tr class:chosen={v.vid === chosen?.vid} style:--vlan={hues.of.get(v.vid)} data-row-vid={v.vid}>
            <td class="mono vid text-[13.5px] font-[650] whitespace-nowrap"
              ><i class="mr-1.75 inline-block w-1.25 h-3 bg-(--vlan)"></i>{v.vid}</td
            >
            <td
              ><a
                class="font-[650]"
                href={place.href("register", { vlan: v.vid })}
                onkeydown={(e) => keys(e, i)}
                aria-current={v.vid === chosen?.vid ? "true" : undefined}>{v.name || "not registered"}</a
              >{#if v.note}<span class="note block text-[12px] text-soft">{v.note}</span>{/if}</td
            >
            <td class="mono text-[12px] wrap-break-word">{v.nets.join(" ") || (v.local ? "local" : "")}</td>
            <td class="mono text-[12px] wrap-break-word">{gateways(v)}</td>
            <td class="mono text-[12px] wrap-break-word"
              >{handouts(v)}{#if v.guarded}<span class="note block text-[12px] text-soft">guarded</span>{/if}</td
            >
            <td class="whitespace-nowrap" class:bad={v.state === "split" || v.state === "merged"} data-tip={stateOf(v)[1]}
              >{stateOf(v)[0]}</td
            >
          </tr>
        {/each}
      </tbody>
    </Table>
    <Only why={may.plan}><Handouts {vlans} /></Only>
  </section>
  {#if chosen}
    {#key chosen.vid}
      <section class="panel sticky top-4.5">
        <Only why={may.plan}><Entry vlan={chosen} /></Only>
        {#if chosen.registered}<Only why={may.plan}><Addresses vlan={chosen} /></Only>{/if}
      </section>
    {/key}
  {/if}
</div>

<style>
  .chosen td {
    background: var(--plum-wash);
  }
  .bad {
    color: var(--red);
    font-weight: 650;
  }
</style>
