<!-- Another device in the place of one: what it is, where its ports go that have neither the same name nor the same number, then what goes over and what finds no place, before it is done; and the order of it. -->
<script lang="ts">
  import { Button, Checkbox, Input } from "flowbite-svelte";
  import type { Device } from "../api/client";
  import Choose from "../choose/Device.svelte";
  import { may, only } from "../state/may.svelte";
  import { office } from "../state/office.svelte";
  import { pending } from "../state/pending.svelte";
  import { place } from "../state/place.svelte";

  let { device }: { device: Device } = $props();

  let open = $state(false);
  let says = $state("");
  let map = $state<Record<string, string>>({}); // by port of the old one: its port of the new one
  const front = $derived(device.ports.filter((p) => p.kind === "physical"));
  // Ports that something hangs on: those are worth a look.
  const taken = $derived(front.filter((p) => p.cabled?.length || p.plugs?.length || p.bundle));
  let kept = $state(false); // the old one, as a spare
  let called = $state("");
  const spares = $derived((office.view?.devices ?? []).filter((d) => d.spare && d.name !== device.name));
  const line = $derived(
    [
      `replace ${device.name} by ${says.trim()}`,
      ...taken.filter((p) => map[p.name]?.trim()).map((p) => `${p.name} to ${map[p.name]!.trim()}`),
      ...(kept ? [`old as ${called.trim() || `${device.name}-spare`}`] : []),
    ].join(", "),
  );
  function look() {
    const was = office.view?.revision ?? 0;
    pending.propose([line], undefined, () => place.go(place.href("orders", { replaced: device.name, since: was })));
  }
</script>

<Button aria-expanded={open} onclick={() => (open = !open)} {...only(may.plan)}>Replace it by another device…</Button>
{#if open}
  <form class="replace p-2.5 border border-hair gap-1.5 grid" onsubmit={(e) => (e.preventDefault(), says.trim() && look())}>
    <label for="replace-by">What takes its place</label>
    <span class="by gap-1.5 flex flex-wrap items-center">
      <Input class="field" id="replace-by" bind:value={says} placeholder="switch, 48 ports 1G, by port" />
      <Choose label={`what takes the place of ${device.name}`} ontake={(text) => ((says = text), true)} />
    </span>
    {#if spares.length}
      <span class="by gap-1.5 flex flex-wrap items-center text-soft text-[13px]">
        From the shelf:
        {#each spares as spare (spare.name)}<Button size="xs" onclick={() => (says = spare.name)}>{spare.name}</Button>{/each}
      </span>
    {/if}
    <span class="by gap-1.5 flex flex-wrap items-center">
      <Checkbox bind:checked={kept}>Keep the old one on the shelf, as</Checkbox>
      <Input
        class="field mono"
        bind:value={called}
        placeholder={`${device.name}-spare`}
        disabled={!kept}
        aria-label={`What the old ${device.name} is called on the shelf`}
      />
    </span>
    {#if taken.length}
      <p class="text-soft text-[13px]">
        A port goes to the one of its name, else of its number. Where that is not so, say it; what finds no place is listed before it is
        done.
      </p>
      <div class="map gap-0.75 overflow-y-auto grid max-h-55 text-[13px]">
        {#each taken as p (p.name)}
          <label class="gap-1.5 grid grid-cols-[52px_minmax(0,1fr)_auto_92px] items-center"
            ><b class="mono">{p.name}</b>
            <span class="text-soft text-[13px]"
              >{(p.plugs ?? []).map((g) => g.name).join(", ") || p.cabled?.join(", ").replaceAll(".", " ") || `in ${p.bundle}`}</span
            >
            to
            <Input class="field mono" bind:value={map[p.name]} placeholder={p.name} aria-label={`Where port ${p.name} goes`} /></label
          >
        {/each}
      </div>
    {/if}
    <p class="mono line text-[12.5px] wrap-anywhere">{line}</p>
    <Button type="submit" class="main justify-self-start" disabled={!says.trim()} {...only(may.plan)}>Show what goes over</Button>
  </form>
{/if}

<style>
  .by :global(#replace-by) {
    flex: 1;
    min-width: 160px;
  }
</style>
