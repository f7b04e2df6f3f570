<script lang="ts">
  import { may, only } from "../state/may.svelte";
  import Only from "../shell/Only.svelte";
  import { Button, Input, Select } from "flowbite-svelte";
  import { hues } from "../state/hues.svelte";
  import { office } from "../state/office.svelte";
  import { place } from "../state/place.svelte";
  import Front from "../front/Front.svelte";
  import { jacks, planned } from "../front/front";
  import { pending } from "../state/pending.svelte";
  import Shelf from "./Shelf.svelte";
  import Followers from "./Followers.svelte";
  import PlanEditor from "./PlanEditor.svelte";
  import UseEditor from "./UseEditor.svelte";

  const view = $derived(office.shown!);
  const name = $derived(place.now.query.get("plan") ?? "");
  const plan = $derived(view.plans.find((p) => p.name === name) ?? view.plans[0]);
  const followers = $derived(view.devices.filter((d) => plan && d.follows === plan.name));
  const others = $derived(view.devices.filter((d) => !plan || d.follows !== plan.name));
  const fronts = $derived(others.filter((d) => d.ports.some((p) => p.kind === "physical")));
  let from = $state("");
  let made = $state("");
  let joins = $state("");

  // The front that is drawn: as long as the first follower's.
  const length = $derived(followers[0]?.ports.filter((p) => p.kind === "physical").length ?? 8);
  const shown = $derived.by(() => {
    const next = pending.preview?.plans?.find((p) => p.name === plan?.name);
    const now = plan ? planned(plan, length) : [];
    if (!next) return now;
    return planned(next, length).map((j, i) => ({ ...j, mark: j.shape !== now[i]?.shape ? ("changed" as const) : undefined }));
  });
  const make = () =>
    made.trim() &&
    from &&
    pending.propose([`plan ${made.trim()} from ${from}`], undefined, () => place.go(place.href("plans", { plan: made.trim() }), true));
</script>

<div class="plans px-7 pt-4.5 pb-10 gap-7 grid grid-cols-[minmax(0,11fr)_minmax(0,9fr)] items-start half:grid-cols-1">
  <section>
    <h1>Port plans</h1>
    <p class="lead">
      A use names a shape, a plan lays uses on a front, and any number of devices follow it. What a change would do to all of them shows
      before it is done.
    </p>
    <h2 class="mt-2.5 mb-1.5 font-bold">Uses</h2>
    <Only why={may.plan}><UseEditor uses={view.uses} /></Only>
    <h2 class="mt-2.5 mb-1.5 font-bold">Plans</h2>
    <nav class="mb-2 gap-1 flex flex-wrap" aria-label="Port plans">
      {#each view.plans as p (p.name)}
        <a
          class="px-2.5 py-1 border border-hair bg-panel aria-[current]:border-plum aria-[current]:font-[650]"
          href={place.href("plans", { plan: p.name })}
          aria-current={p.name === plan?.name ? "true" : undefined}
          >{p.name} <span class="text-soft text-[12px]">{view.devices.filter((d) => d.follows === p.name).length} follow</span></a
        >
      {/each}
    </nav>
    {#if plan}
      {#key plan.name}
        <PlanEditor {plan}><Front jacks={shown} hues={hues.of} label={`${plan.name} on a front of ${length} ports`} /></PlanEditor>
      {/key}
    {:else}
      <p class="lead">
        No plan yet: make one from a device below, or write one on the line: <code class="mono">plan desks; 1-8: 110</code>
      </p>
    {/if}
    <form class="make mt-3.5 gap-2 flex flex-wrap items-center" onsubmit={(e) => (e.preventDefault(), make())}>
      <label>Make a plan <Input class="field mono" id="plan-name" bind:value={made} placeholder="its name" /></label>
      <label
        >from <Select placeholder="" classes={{ select: "field" }} id="plan-from" bind:value={from}
          ><option value="">a device</option>{#each fronts as d (d.name)}<option>{d.name}</option>{/each}</Select
        ></label
      >
      <Button type="submit" disabled={!made.trim() || !from} {...only(may.plan)}>Show what changes</Button>
    </form>
    <Only why={may.plan}><Shelf /></Only>
  </section>
  {#if plan}
    <section>
      <h2 class="mt-2.5 mb-1.5 font-bold">Followers of {plan.name}</h2>
      <Only why={may.plan}><Followers devices={followers} /></Only>
      <form
        class="make mt-3.5 gap-2 flex flex-wrap items-center"
        onsubmit={(e) => (e.preventDefault(), joins && pending.propose([`follow ${joins} ${plan.name}`]))}
      >
        <label
          >Let <Select placeholder="" classes={{ select: "field" }} id="joins" bind:value={joins}
            ><option value="">a device</option>{#each fronts as d (d.name)}<option>{d.name}</option>{/each}</Select
          ></label
        >
        follow it
        <Button type="submit" disabled={!joins} {...only(may.plan)}>Show what changes</Button>
      </form>
      {#if joins}
        {@const d = fronts.find((x) => x.name === joins)}
        {#if d}
          <p class="compare mt-2 mb-1 text-soft">{joins} now:</p>
          <Front jacks={jacks(d)} hues={hues.of} label={`${joins} now`} />
        {/if}
      {/if}
    </section>
  {/if}
</div>

<style>
  .make :global(input) {
    width: 130px;
  }
</style>
