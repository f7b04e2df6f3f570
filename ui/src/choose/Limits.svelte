<script lang="ts">
  import { Input } from "flowbite-svelte";
  import type { Device } from "../api/client";
  import { limits as words } from "../api/words";
  import Choose from "./Choose.svelte";
  import { limits } from "./said";

  let { device, ontake }: { device: Device; ontake: (text: string) => Promise<boolean> | boolean } = $props();

  const says: Record<(typeof words)[number], string> = {
    vlans: "VLANs that it knows",
    addresses: "addresses of its own",
    zones: "zones",
    rows: "rows of its table",
    rules: "rules",
  };
  let open = $state(false);
  let of = $state<Record<string, string>>({});
  $effect(() => {
    if (open) return;
    const said = (device.limits ?? "").split(" ");
    of = Object.fromEntries(words.map((w) => [w, said.includes(w) ? (said[said.indexOf(w) + 1] ?? "") : ""]));
  });
  const said = $derived(limits(of));
</script>

<Choose label={`the limits of ${device.name}`} line={`${device.name} limit ${said}`} ready={!!said} bind:open ondo={() => ontake(said)}>
  {#each words as w (w)}
    <label class="gap-2 grid grid-cols-[56px_90px_minmax(0,1fr)] items-center"
      >At most <Input class="field" inputmode="numeric" bind:value={of[w]} placeholder="any number of" /> {says[w]}</label
    >
  {/each}
</Choose>
