<script lang="ts">
  import { may, only } from "../state/may.svelte";
  import { Button, Checkbox, Input } from "flowbite-svelte";
  import { untrack } from "svelte";
  import type { Vlan } from "../api/client";
  import { office } from "../state/office.svelte";
  import { pending } from "../state/pending.svelte";
  import { place } from "../state/place.svelte";
  import { statement } from "./statement";

  let { vlan }: { vlan: Vlan } = $props();

  let name = $state("");
  let note = $state("");
  let nets = $state("");
  let local = $state(false);
  let guarded = $state(false);
  let problem = $state("");
  let to = $state<number | undefined>();
  let subnets = $state(true);

  // What others change shows; a field into which something else was typed stays as it is.
  let was = { vid: 0, name: "", note: "", nets: "", local: false, guarded: false };
  $effect(() => {
    const now = {
      vid: vlan.vid,
      name: vlan.name,
      note: vlan.note ?? "",
      nets: vlan.nets.join(" "),
      local: vlan.local,
      guarded: vlan.guarded ?? false,
    };
    untrack(() => {
      const fresh = now.vid !== was.vid;
      if (fresh || name === was.name) name = now.name;
      if (fresh || note === was.note) note = now.note;
      if (fresh || nets === was.nets) nets = now.nets;
      if (fresh || local === was.local) local = now.local;
      if (fresh || guarded === was.guarded) guarded = now.guarded;
      was = now;
    });
  });

  async function keep() {
    const line = statement({ vid: vlan.vid, name, note, nets, local, guarded });
    if (
      line ===
      statement({ vid: vlan.vid, name: vlan.name, note: vlan.note, nets: vlan.nets.join(" "), local: vlan.local, guarded: vlan.guarded })
    )
      return (problem = "");
    problem = await office.tryLines([line]);
    if (!problem) name = vlan.name; // a name with capitals is taken in the form that fits
  }
</script>

<h2 class="mono mb-2 font-bold text-[15px]">{vlan.vid} {vlan.name}</h2>
<form class="entry-form gap-1.5 grid" onsubmit={(e) => (e.preventDefault(), void keep())}>
  <label
    >Name <Input
      class="field mono"
      id="vlan-name"
      bind:value={name}
      onchange={keep}
      aria-invalid={!!problem}
      aria-describedby="vlan-problem"
    /></label
  >
  <label>Note <Input class="field" bind:value={note} onchange={keep} /></label>
  <label
    >Subnets <Input
      class="field mono"
      id="vlan-nets"
      bind:value={nets}
      onchange={keep}
      placeholder="10.61.110.0/24"
      aria-describedby="vlan-problem"
    /></label
  >
  <label class="check"><Checkbox bind:checked={local} onchange={keep} /> local: no gateway is meant</label>
  <label class="check" data-tip="Devices let only the ports towards the hand-out answer for it; the sheets list them"
    ><Checkbox id="vlan-guarded" bind:checked={guarded} onchange={keep} /> guarded: nobody else may hand out addresses</label
  >
  <p class="wrong" id="vlan-problem" role="alert">{problem}</p>
  <Button type="submit" class="hidden" aria-hidden="true" tabindex={-1}>keep</Button>
</form>
<form
  class="turn mt-2.5 pt-2.5 border-t border-hair gap-2 flex flex-wrap items-center text-[13px] text-soft"
  onsubmit={(e) => {
    e.preventDefault();
    if (to)
      pending.propose([`renumber ${vlan.vid} to ${to}${subnets && vlan.shows ? " with subnets" : ""}`], undefined, () =>
        place.go(place.href("register", { vlan: to! }), true),
      );
  }}
>
  <label>Renumber to <Input class="field mono vid w-21!" type="number" min="1" max="4094" bind:value={to} id="renumber" /></label>
  {#if vlan.shows}<label class="check"><Checkbox bind:checked={subnets} /> with its subnets</label>{/if}
  <Button type="submit" disabled={!to}>Show what changes</Button>
</form>
<p class="turn mt-2.5 pt-2.5 border-t border-hair gap-2 flex flex-wrap items-center text-[13px] text-soft">
  <Button onclick={() => pending.propose([`retire ${vlan.vid}`])} {...only(may.plan)}>Take it off everything…</Button><span
    >shows first all that it sits on</span
  >
</p>

<style>
  label {
    display: grid;
    grid-template-columns: 84px 1fr;
    align-items: center;
    gap: 8px;
  }
  .check {
    display: flex;
  }
  .turn label {
    display: flex;
  }
</style>
