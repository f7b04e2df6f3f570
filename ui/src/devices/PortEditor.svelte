<script lang="ts">
  import { may, only } from "../state/may.svelte";
  import { Button, Checkbox, Input, Select } from "flowbite-svelte";
  import type { Device } from "../api/client";
  import PortField from "../shell/PortField.svelte";
  import Kept from "../shell/Kept.svelte";
  import { portFacts } from "../api/words";
  import { quote, ref } from "../line/quote";
  import { place } from "../state/place.svelte";
  import { office } from "../state/office.svelte";
  import { pending } from "../state/pending.svelte";

  import Choose from "../choose/Shape.svelte";
  import { label, noted } from "./noted";

  let { device, port }: { device: Device; port: string } = $props();

  const p = $derived(device.ports.find((x) => x.name === port)!);
  const set = $derived(p.bundle ? device.ports.find((x) => x.name === p.bundle)! : p);
  const at = $derived(ref(`${device.name}.${port}`));
  let problem = $state("");
  let what = $state("");
  let wants = $state("");
  let own = $state("");
  let tagged = $state(false);
  let other = $state("");
  const vlans = $derived((office.shown?.vlans ?? []).filter((v) => v.registered));

  const shaped = (text: string) =>
    ask(`${device.name} ${quote(set.name)}: ${text}${set.because ? ` because ${JSON.stringify(set.because)}` : ""}`);
  const rest = $derived((/\[(all|needed)\]/.exec(set.shape)?.[1] ?? "") as "" | "all" | "needed");
  const ask = (...lines: string[]) => office.tryLines(lines);
  const say = async (...lines: string[]) => (problem = await office.tryLines(lines)) === "";
  async function plug() {
    const line = `plug ${at} ${JSON.stringify(what.trim())} wants ${wants}${tagged ? " tagged" : ""}${own.trim() ? ` at ${own.trim()}` : ""}`;
    if (await say(line)) what = "";
  }
</script>

<section class="mb-2.5 pb-2.5 border-b border-hair gap-1.5 grid" data-port-panel={`${device.name}.${port}`}>
  <h2 class="font-bold text-[15px]">
    {device.name} <span class="mono">{port}</span>
    <span class="text-soft text-[13px] font-normal">{p.inside ? `${p.inside} inside, ` : ""}{p.speed ?? ""}</span>
  </h2>
  <label class="gap-2 grid grid-cols-[64px_minmax(0,1fr)] items-center"
    >Shape <Kept mono value={set.shape} onkeep={shaped} aria-label={`The shape of ${device.name} ${set.name}`} /></label
  >
  <span class="row gap-2 flex flex-wrap items-center"
    ><Choose
      label={`the shape of ${device.name} ${set.name}`}
      now={{ untagged: set.untagged[0] ?? 0, tagged: set.tagged, rest, pvid: set.pvid === set.untagged[0] ? 0 : set.pvid }}
      ontake={async (text) => (problem = await shaped(text)) === ""}
    /></span
  >
  <a
    class="why justify-self-start text-[13px] underline underline-offset-2"
    href={place.href("history", { port: `${device.name}.${port}` })}>Why is it so?</a
  >
  {#if p.bundle}<p class="text-soft text-[13px] font-normal">a member of the bundle {p.bundle}, which has the shape</p>{/if}
  {#if set.source === "exception"}<p class="text-soft text-[13px] font-normal">
      an exception: the plan says <span class="mono">{set.planned}</span>{set.because ? `; ${set.because}` : ""}
    </p>{:else if set.because}<p class="text-soft text-[13px] font-normal">because {set.because}</p>{/if}
  {#each portFacts as fact (fact)}
    <label class="gap-2 grid grid-cols-[64px_minmax(0,1fr)] items-center"
      >{label(fact)}
      <Kept
        value={p.facts?.[fact] ?? ""}
        maxlength={500}
        aria-label={`The ${fact} of ${device.name} ${port}`}
        onkeep={(text) => ask(noted(`${device.name} port ${quote(port)}`, fact, text))}
      /></label
    >
  {/each}
  {#if set.cabled}
    {#each set.cabled as c (c)}<p class="row gap-2 flex flex-wrap items-center">
        cable to <b>{c.replace(".", " ")}</b>
        <Button onclick={() => pending.propose([`-cable ${ref(`${device.name}.${set.name}`)} ${ref(c)}`])} {...only(may.plan)}
          >Remove…</Button
        >
      </p>{/each}
  {:else}
    <form class="gap-2 flex flex-wrap items-center" onsubmit={(e) => (e.preventDefault(), other && void say(`cable ${at} ${ref(other)}`))}>
      <label class="gap-2 grid grid-cols-[64px_minmax(0,1fr)] items-center"
        >Cable to <PortField bind:value={other} id="cable-to" placeholder="free port" named={false} /></label
      >
      <Button type="submit" disabled={!other}>Connect</Button>
    </form>
  {/if}
  {#each p.plugs ?? [] as g (g.name)}
    <p class="row gap-2 flex flex-wrap items-center">
      <b>{g.name}</b>
      <span class="text-soft text-[13px] font-normal"
        >wants {g.wants}{g.tagged ? " tagged" : ""}{g.operator ? ", the operator's" : ""}{g.at ? `, at ${g.at}` : ""}{g.facts?.note
          ? `; ${g.facts.note}`
          : ""}</span
      >
      <Button aria-label={`Unplug ${g.name}`} onclick={() => say(`-plug ${at} ${JSON.stringify(g.name)}`)}>×</Button>
    </p>
  {/each}
  <form
    class="plug gap-2 flex-wrap items-center grid grid-cols-[minmax(0,1fr)_minmax(0,1fr)_auto] text-[13px]"
    onsubmit={(e) => (e.preventDefault(), what.trim() && wants && void plug())}
  >
    <Input class="field" id="plug-name" bind:value={what} placeholder="plug something in" aria-label="What is plugged in" />
    <Select placeholder="" classes={{ select: "field" }} id="plug-wants" bind:value={wants} aria-label="The VLAN that it wants"
      ><option value="">wants</option>{#each vlans as v (v.vid)}<option value={String(v.vid)}>{v.vid} {v.name}</option>{/each}</Select
    >
    <label class="check gap-1 grid-cols-[64px_minmax(0,1fr)] items-center flex"><Checkbox bind:checked={tagged} /> tagged</label>
    <Input class="field mono" id="plug-at" bind:value={own} placeholder="its address" aria-label="Its own address, where rules name it" />
    <Button type="submit" disabled={!what.trim() || !wants}>Plug in</Button>
  </form>
  {#if problem}<p class="wrong" role="alert">{problem}</p>{/if}
</section>
