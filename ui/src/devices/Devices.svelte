<script lang="ts">
  import { may } from "../state/may.svelte";
  import Only from "../shell/Only.svelte";
  import Front from "../front/Front.svelte";
  import { jacks } from "../front/front";
  import { hues } from "../state/hues.svelte";
  import { office } from "../state/office.svelte";
  import { place } from "../state/place.svelte";
  import { seen } from "../state/seen.svelte";
  import { asks, forwarded } from "./asks";
  import AddDevice from "./AddDevice.svelte";
  import DeviceEditor from "./DeviceEditor.svelte";
  import PortEditor from "./PortEditor.svelte";

  const view = $derived(office.shown!);
  const ordered = $derived(view.order.flatMap((n) => view.devices.find((d) => d.name === n) ?? []));
  const device = $derived(view.devices.find((d) => d.name === place.now.query.get("device")) ?? ordered[0]);
  const port = $derived(place.now.query.get("port") ?? "");
  $effect(() => seen.follow());
  const lit = (d: (typeof ordered)[number]) =>
    jacks(d).map((j) => {
      const s = seen.ports.get(`${d.name}.${j.name}`);
      return s ? { ...j, link: s.link, seen: s.words } : j;
    });
  const pick = (d: string, p: string) => place.go(place.href("devices", { device: d, port: p }), true);
</script>

<div class="devices px-7 pt-4.5 pb-10 gap-6 grid grid-cols-[minmax(0,1fr)_400px] items-start half:grid-cols-1">
  <section>
    <h1>Devices</h1>
    <p class="lead">Each device as its front is built. Pick a port to see what is in it.</p>
    <Only why={may.plan}><AddDevice /></Only>
    {#each ordered as d (d.name)}
      <article class="pt-1.5 pb-2.5 pl-3 border-l-3 border-transparent" class:here={d.name === device?.name}>
        <p class="mb-1">
          <a
            class="mr-2 font-[650]"
            href={place.href("devices", { device: d.name })}
            aria-current={d.name === device?.name ? "true" : undefined}>{d.name}</a
          >
          <span class="text-soft text-[13px]"
            >{d.kind}{d.forwarding === "bridge" ? "" : `, ${forwarded(d.forwarding)}`}{d.wording ? `, ${asks(d.wording)}` : ""}{d.follows
              ? `, follows ${d.follows}`
              : ""}{d.manage ? `, managed in ${d.manage}` : ""}</span
          >
        </p>
        <Front
          jacks={lit(d)}
          hues={hues.of}
          label={`The front of ${d.name}`}
          picked={d.name === device?.name ? port : ""}
          onpick={(p) => pick(d.name, p)}
        />
      </article>
    {:else}
      <p class="lead">No device yet. Say what the first one is: <code class="mono">rack</code>, <code>switch, 24 ports, by VLAN</code>.</p>
    {/each}
  </section>
  {#if device}
    {#key device.name}
      <section class="panel overflow-auto sticky top-4.5 max-h-[calc(100vh_-_130px)] half:static half:max-h-none">
        {#if port && device.ports.some((p) => p.name === port)}{#key port}<Only why={may.plan}><PortEditor {device} {port} /></Only
            >{/key}{/if}
        <Only why={may.plan}><DeviceEditor {device} /></Only>
      </section>
    {/key}
  {/if}
</div>

<style>
  .here {
    border-color: var(--plum);
  }
</style>
