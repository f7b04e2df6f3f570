<script lang="ts">
  import { Button, Input, Textarea } from "flowbite-svelte";
  import { api } from "../api/client";
  import { office } from "../state/office.svelte";
  import { place } from "../state/place.svelte";
  import { check, statements, usual } from "./start";

  let s = $state({ ...usual });
  let problem = $state("");
  let busy = $state(false);
  const wrong = $derived(check(s.vlans));

  async function make() {
    problem = "";
    busy = true;
    try {
      const made = await api.create(statements(s)); // all of it, or nothing
      localStorage.setItem("klammer-office", String(made.id));
      place.go(`/${made.id}`);
    } catch (e) {
      problem = e instanceof Error ? e.message : String(e);
      if (office.me === "") office.askName = true;
    } finally {
      busy = false;
    }
  }
</script>

<form class="gap-2.5 grid" id="create" onsubmit={(e) => (e.preventDefault(), void make())}>
  <h2 class="font-bold text-[16px]">Start a new office</h2>
  <label class="gap-2 grid grid-cols-[170px_minmax(0,1fr)] items-center"
    >What is it called? <Input class="field" id="title" bind:value={s.title} placeholder="Harbour Lane Veterinary Clinic" /></label
  >
  <fieldset class="pl-3.5 border-l-2 border-plum gap-1.5 grid">
    <legend class="font-[650] float-left"><b class="mr-1 text-plum">1</b> Which VLANs?</legend>
    <Textarea
      class="field mono w-full"
      id="vlans"
      rows={5}
      bind:value={s.vlans}
      aria-label="A VLAN a line: number and name"
      aria-describedby="vlans-problem"
      aria-invalid={!!wrong}
      spellcheck="false"
    ></Textarea>
    <p class="wrong empty:hidden" id="vlans-problem" role="alert">{wrong}</p>
    <label class="gap-2 grid grid-cols-[170px_minmax(0,1fr)] items-center narrow:grid-cols-[110px_minmax(0,1fr)]"
      >Their subnets <Input class="field mono" id="pattern" bind:value={s.pattern} placeholder="10.0.VID.0/24" /></label
    >
  </fieldset>
  <fieldset class="pl-3.5 border-l-2 border-plum gap-1.5 grid">
    <legend class="font-[650] float-left"><b class="mr-1 text-plum">2</b> Which gateway?</legend>
    <div class="gap-2 grid grid-cols-[130px_minmax(0,1fr)] narrow:grid-cols-1">
      <Input class="field mono" id="gateway" bind:value={s.gateway} aria-label="The gateway's name" />
      <Input class="field" id="gateway-is" bind:value={s.gatewayIs} aria-label="What the gateway is" />
    </div>
    <label class="gap-2 grid grid-cols-[170px_minmax(0,1fr)] items-center"
      >The port that carries them <Input class="field mono" id="gateway-on" bind:value={s.on} /></label
    >
  </fieldset>
  <fieldset class="pl-3.5 border-l-2 border-plum gap-1.5 grid">
    <legend class="font-[650] float-left"><b class="mr-1 text-plum">3</b> Which first switch?</legend>
    <div class="gap-2 grid grid-cols-[130px_minmax(0,1fr)] narrow:grid-cols-1">
      <Input class="field mono" id="first" bind:value={s.first} aria-label="The switch's name" />
      <Input class="field" id="first-is" bind:value={s.firstIs} aria-label="What the switch is" />
    </div>
    <p class="text-[12.5px] text-soft">Its last port is cabled to the gateway. Empty a name to leave that device out.</p>
  </fieldset>
  <p class="wrong empty:hidden" role="alert" id="create-problem">{problem}</p>
  <Button type="submit" class="main" id="make" disabled={!s.title.trim() || !!wrong || busy}
    >{busy ? "Making it…" : "Go to the board"}</Button
  >
</form>
