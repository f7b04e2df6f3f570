<!-- The same hand-out in many VLANs at once, shown first and made as one edit. -->
<script lang="ts">
  import { Button, Checkbox, Input } from "flowbite-svelte";
  import type { Vlan } from "../api/client";
  import { back } from "../state/back";
  import { pending } from "../state/pending.svelte";
  import { address, type Address } from "./statement";
  import { nth } from "./subnet";

  let { vlans }: { vlans: Vlan[] } = $props();
  let open = $state(false);
  let first = $state(50);
  let last = $state(220);

  type Row = { key: string; vlan: Vlan; a: Address };
  const rows = $derived<Row[]>(
    vlans.flatMap((v) =>
      (v.addresses ?? []).filter((a) => nth(a.address, 1)).map((a) => ({ key: `${v.vid} ${a.device} ${a.address}`, vlan: v, a })),
    ),
  );
  let picked = $state<Record<string, boolean>>({});
  // Who hands nothing out yet is meant, unless one says otherwise.
  const on = (r: Row) => picked[r.key] ?? !r.a.from;
  const range = (r: Row) => [nth(r.a.address, first), nth(r.a.address, last)] as const;
  const bad = (r: Row) => !range(r)[0] || !range(r)[1] || first > last;
  const chosen = $derived(rows.filter(on));
  const fails = $derived(chosen.filter(bad));

  function propose() {
    pending.propose(
      chosen.flatMap((r) => [address(r.vlan.vid, { ...r.a, from: range(r)[0], to: range(r)[1] })]),
      `hand out addresses in ${chosen.length === 1 ? "a VLAN" : `${chosen.length} VLANs`}`,
    );
    open = false;
  }
</script>

{#if rows.length > 1}
  {#if open}
    <form
      class="panel mx-0 my-2 px-3.5 py-2.5 text-[13.5px]"
      {@attach back}
      {@attach (el) => el.scrollIntoView({ block: "nearest" })}
      onsubmit={(e) => (e.preventDefault(), propose())}
    >
      <p>
        Hand out from the <Input
          class="field mono"
          type="number"
          min="1"
          bind:value={first}
          aria-label="the first address of each subnet"
        />th to the <Input class="field mono" type="number" min="1" bind:value={last} aria-label="the last address of each subnet" />th
        address of each subnet:
      </p>
      <ul class="my-2 max-w-160">
        {#each rows as r (r.key)}
          <li class="py-0.75 border-b border-hair gap-3 flex justify-between">
            <label
              ><Checkbox checked={on(r)} onchange={(e) => (picked[r.key] = e.currentTarget.checked)} />
              <b class="mono">{r.vlan.vid}</b>
              {r.vlan.name}, {r.a.device}</label
            >
            <span class="mono text-[12px]" class:wrong={on(r) && bad(r)}
              >{on(r)
                ? bad(r)
                  ? `${r.a.address} has no such addresses`
                  : range(r).join(" to ")
                : r.a.from
                  ? `${r.a.from} to ${r.a.to}, as now`
                  : "nothing"}</span
            >
          </li>
        {/each}
      </ul>
      <p>
        <Button type="submit" class="main" disabled={!chosen.length || fails.length > 0}>Show what it changes</Button>
        <Button type="button" onclick={() => (open = false)}>Cancel</Button>
      </p>
    </form>
  {:else}
    <Button class="open mt-3" onclick={() => (open = true)}>Hand out in many VLANs…</Button>
  {/if}
{/if}

<style>
  form :global(input[type="number"]) {
    width: 72px;
  }
</style>
