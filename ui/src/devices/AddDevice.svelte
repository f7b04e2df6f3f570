<script lang="ts">
  import { Button, Input } from "flowbite-svelte";
  import Choose from "../choose/Device.svelte";
  import { office } from "../state/office.svelte";
  import { place } from "../state/place.svelte";

  let name = $state("");
  let says = $state("");
  let problem = $state("");

  async function add() {
    const n = name.trim();
    problem = await office.tryLines([`add ${n} ${says.trim()}`]);
    if (problem) return;
    name = says = "";
    place.go(place.href("devices", { device: n }), true);
    document.getElementById("device-name")?.focus();
  }
</script>

<form
  class="mb-2 gap-2 grid grid-cols-[140px_minmax(0,1fr)_auto_auto] max-w-195 narrow:grid-cols-[minmax(0,1fr)_auto_auto]"
  onsubmit={(e) => (e.preventDefault(), void add())}
>
  <Input
    class="field mono"
    id="device-name"
    bind:value={name}
    placeholder="a new device"
    aria-label="The name of a new device"
    aria-describedby="device-problem"
  />
  <Input
    class="field says narrow:row-start-2 narrow:col-span-full"
    id="device-says"
    bind:value={says}
    placeholder="switch, 24 ports 1G and 2 10G, by VLAN, follows desks"
    aria-label="What it is"
    aria-describedby="device-problem"
  />
  <Choose ontake={(text) => ((says = text), true)} />
  <Button type="submit" class="main" disabled={!name.trim() || !says.trim()}>Add</Button>
  <p class="wrong col-span-full" id="device-problem" role="alert">{problem}</p>
</form>
