<script lang="ts">
  import { untrack } from "svelte";
  import { may, only } from "../state/may.svelte";
  import { place } from "../state/place.svelte";
  import { Button, Checkbox, Input } from "flowbite-svelte";
  import type { OrderRequest } from "../api/client";
  import SitePick from "../shell/SitePick.svelte";
  import { sites } from "../state/sites.svelte";

  let {
    devices,
    revision,
    been,
    onmake,
    onleave,
  }: { devices: string[]; revision: number; been: boolean; onmake: (q: OrderRequest) => void; onleave: () => void } = $props();

  // Where somebody comes from a device that was just replaced: what changed since, with that one new.
  const query = place.now.query;
  let since = $state<number | undefined>(Number(query.get("since")) || undefined);
  let fresh = $state<string[]>([]);
  let left = $state<string[]>([]); // stay as they are
  let instead = $state<string[]>(query.get("replaced") ? [query.get("replaced")!] : []); // new ones take their place
  // Where one site is looked at, the devices of the others stay as they are.
  $effect(() => {
    const all = sites.chosen === "all";
    left = untrack(() => (all ? [] : devices.filter((d) => !sites.has(d)))); // what somebody else edits unticks nothing
  });
  const some = $derived({
    ...(left.length ? { only: devices.filter((d) => !left.includes(d)) } : {}),
    ...(instead.length ? { new: instead } : {}),
  });
  const flip = (list: string[], d: string) => (list.includes(d) ? list.filter((x) => x !== d) : [...list, d]);
</script>

<section class="start mt-3 gap-3 grid grid-cols-[repeat(auto-fit,minmax(260px,1fr))]" aria-label="A new order">
  <div>
    <h2 class="font-bold">As found</h2>
    <p class="text-soft flex-1">
      The devices are set to what was read or typed in last{been ? ", and to what the last order has done" : ""}; the others as planned.
    </p>
    <Button class="main" onclick={() => onmake({ from: "found", ...some })} {...only(may.carry)}>Order from what was found</Button>
  </div>
  <form
    onsubmit={(e) => {
      e.preventDefault();
      if (since) onmake({ from: "revision", revision: since, ...some });
    }}
  >
    <h2 class="font-bold">As at a revision</h2>
    <p class="text-soft flex-1">The devices are set to what was planned then: what changed since is to be done.</p>
    <label>Revision <Input class="field mono" type="number" min="1" max={revision} required bind:value={since} /> of {revision}</label>
    <Button type="submit" disabled={!since}>Order what changed since</Button>
  </form>
  <form
    onsubmit={(e) => {
      e.preventDefault();
      onmake({ from: "factory", devices: fresh });
    }}
  >
    <h2 class="font-bold">New devices</h2>
    <p class="text-soft flex-1">They come from the factory and are not there yet; all others are as planned.</p>
    <fieldset class="gap-y-0.5 gap-x-3 flex flex-wrap">
      {#each devices as d (d)}
        <label><Checkbox value={d} bind:group={fresh} /> {d}</label>
      {/each}
    </fieldset>
    <Button type="submit" disabled={!fresh.length}>Order them in</Button>
  </form>
  <details class="some" open={left.length + instead.length > 0}>
    <summary
      >{left.length
        ? `${left.length} of ${devices.length} devices stay as they are`
        : "Every device that is not as planned is set"}{instead.length
        ? `; a new one takes the place of ${instead.join(", ")}`
        : ""}</summary
    >
    <p class="text-soft flex-1">
      For an order as found, or as at a revision. A new device comes out of its box, of the same model or another; the old one of that name
      stands beside it until its cables and plugs have moved.
    </p>
    {#if sites.list.length}<p class="text-soft flex-1">Only the devices of <SitePick /></p>{/if}
    <ul class="mt-2 gap-y-1 gap-x-6 grid grid-cols-[repeat(auto-fill,minmax(360px,1fr))]">
      {#each devices as d (d)}
        <li class="gap-3.5 grid grid-cols-[minmax(90px,1fr)_auto_auto] items-center">
          <b class="mono">{d}</b>
          <Checkbox
            checked={!left.includes(d)}
            onchange={() => (left = flip(left, d))}
            disabled={devices.length === left.length + 1 && !left.includes(d)}>set it</Checkbox
          >
          <Checkbox checked={instead.includes(d)} onchange={() => (instead = flip(instead, d))}>a new one takes its place</Checkbox>
        </li>
      {/each}
    </ul>
  </details>
  {#if been}<Button class="leave justify-self-start self-start" onclick={onleave}>Leave it as it is</Button>{/if}
</section>

<style>
  .start > :not(.leave) {
    border: 1px solid var(--hair);
    background: var(--panel);
    padding: 10px 12px;
    display: flex;
    flex-direction: column;
    gap: 8px;
  }
  .start :global(input[type="number"]) {
    width: 90px;
  }
  .start > .some {
    grid-column: 1 / -1;
    display: block;
  }
  @media (max-width: 480px) {
    .some ul {
      grid-template-columns: minmax(0, 1fr);
    }
    .some li {
      grid-template-columns: minmax(0, 1fr) auto;
    }
    .some b {
      grid-column: 1 / -1;
    }
  }
</style>
