<script lang="ts">
  import First from "../shell/First.svelte";
  import { may, only } from "../state/may.svelte";
  import { Button, Select } from "flowbite-svelte";
  import { latest } from "../api/latest";
  import { api, Refused, type WalkAnswer } from "../api/client";
  import PortField from "../shell/PortField.svelte";
  import { hues } from "../state/hues.svelte";
  import { mends } from "../state/mends.svelte";
  import { office } from "../state/office.svelte";
  import { place } from "../state/place.svelte";
  import { selection } from "../state/selection.svelte";
  import { pending } from "../state/pending.svelte";
  import Hops from "./Hops.svelte";
  import Way from "./Way.svelte";

  const vlans = $derived(office.shown?.vlans ?? []);
  const asked = $derived(place.now.query);
  let from = $state("");
  let wire = $state("");
  let to = $state("");
  let answer = $state.raw<WalkAnswer | null>(null);
  let problem = $state({ field: "", text: "" });
  const newest = latest();

  $effect(() => {
    from = asked.get("from") ?? selection.ports[0] ?? "";
    wire = asked.get("wire") ?? "";
    to = asked.get("to") ?? "";
  });
  $effect(() => {
    const view = office.shown;
    const [f, w, t] = [asked.get("from") ?? selection.ports[0], asked.get("wire") ?? "", asked.get("to") ?? ""];
    if (!view || !f) return;
    void view.revision;
    newest(api.walk(view.id, f, w, t, office.then?.revision)).then(
      (a) => {
        answer = a;
        problem = { field: "", text: "" };
      },
      (e) => {
        answer = null;
        problem = { field: e instanceof Refused ? e.field : "", text: e instanceof Error ? e.message : String(e) };
      },
    );
  });
  function send() {
    place.go(place.href("walk", { from, ...(wire ? { wire } : {}), ...(to ? { to } : {}) }));
  }
  // The faults that the frame meets, with their mends.
  const faults = $derived.by(() => {
    const w = answer?.walk;
    if (!w) return [];
    const at = new Set([...w.drops.map((d) => d.port), ...w.hops.flatMap((h) => h.out.map((o) => o.port))]);
    const vlans = new Set(w.hops.map((h) => h.vlan));
    return (office.then ? [] : (office.view?.findings ?? [])).filter(
      (f) => f.severity === "breaks" && f.ports.some((p) => at.has(p)) && (!w.hops.length || f.vlans.some((v) => vlans.has(v))),
    );
  });
</script>

<div class="walk px-7 pt-4.5 pb-10">
  <h1>Walk</h1>
  <p class="lead">
    Follow one frame from the port where it is sent: what each device does with it, where it comes out, and where it is dropped and why.
  </p>
  {#if !office.shown?.devices.length}<First what="There is no port yet that a frame could be sent from." />{/if}
  <form class="mb-3 gap-2.5 flex flex-wrap items-center" onsubmit={(e) => (e.preventDefault(), send())}>
    <label class="gap-2 flex items-center"
      >From <PortField bind:value={from} id="walk-from" wrong={problem.field === "from"} onpick={send} /></label
    >
    <label class="gap-2 flex items-center">
      wearing
      <Select placeholder="" classes={{ select: "field" }} bind:value={wire} onchange={send} id="walk-wire">
        <option value="">as plugged in</option>
        <option value="untagged">no tag</option>
        <option value="priority">a priority tag</option>
        {#each vlans as v (v.vid)}<option value={String(v.vid)}>[{v.vid}] {v.name}</option>{/each}
      </Select>
    </label>
    <label class="gap-2 flex items-center"
      >to <PortField bind:value={to} id="walk-to" wrong={problem.field === "to"} onpick={send} placeholder="everywhere" more /></label
    >
    <Button type="submit" class="main">Send it</Button>
  </form>
  {#if problem.text}<p class="wrong" role="alert">{problem.text}</p>{/if}
  {#if answer}
    <div aria-live="polite">
      {#if answer.journey}<Way journey={answer.journey} to={answer.to ?? to} hues={hues.of} />{/if}
      <p class="address mb-2.5 text-soft">{answer.address}</p>
      <Hops walk={answer.walk} hues={hues.of} open={!answer.journey?.arrives} />
      {#each faults.slice(0, 3) as f (f.id)}
        <div class="fault mt-2.5 px-2.5 py-0.5 border-l-3 border-red gap-y-1 gap-x-3 flex flex-wrap items-center">
          <p>{f.text}</p>
          {#each mends.of(f).slice(0, 1) as m (m[0])}<Button class="mono" onclick={() => pending.propose(m)} {...only(may.plan)}
              >{m[0]}{m.length > 1 ? " …" : ""}</Button
            >{/each}
        </div>
      {/each}
    </div>
  {/if}
</div>
