<script lang="ts">
  import { may, only } from "../state/may.svelte";
  import { Button, Checkbox, Input, Select } from "flowbite-svelte";
  import { api, type Discovered, type Readings } from "../api/client";
  import { word } from "../shell/plural";
  import { office } from "../state/office.svelte";
  import { pending } from "../state/pending.svelte";

  let { now }: { now: Readings } = $props();

  let where = $state("");
  let credentials = $state("");
  let asking = $state(false);
  let wrong = $state("");
  let answer = $state.raw<Discovered | null>(null);
  let left = $state.raw(new Set<string>());
  const id = $derived(office.view!.id);
  const taken = $derived((answer?.parts ?? []).filter((p) => !left.has(p.what)));
  const kinds = { vlan: "VLANs", device: "Devices", cable: "Cables" } as const;

  async function ask(e: SubmitEvent) {
    e.preventDefault();
    asking = true;
    wrong = "";
    answer = null;
    left = new Set();
    try {
      answer = await api.discover(id, where.split(/[\s,;]+/).filter(Boolean), credentials);
    } catch (e) {
      wrong = e instanceof Error ? e.message : String(e);
    }
    asking = false;
  }
  function toggle(what: string) {
    const next = new Set(left);
    if (!next.delete(what)) next.add(what);
    left = next;
  }
</script>

<section class="mt-4.5">
  <h2>Devices that are not here yet</h2>
  <form class="my-1.5 gap-y-1.5 gap-x-2 flex flex-wrap items-center" onsubmit={ask}>
    <label for="where">Addresses</label>
    <Input id="where" type="text" bind:value={where} placeholder="10.61.190.2-20, 10.61.190.31" required autocomplete="off" />
    <label
      >with <Select placeholder="" bind:value={credentials} aria-label="Credentials">
        <option value="">community public</option>
        {#each now.credentials as c (c.name)}<option>{c.name}</option>{/each}
      </Select></label
    >
    <Button type="submit" disabled={asking}>{asking ? "Asking …" : "Who answers?"}</Button>
  </form>
  {#if wrong}<p class="text-red" role="alert">{wrong}</p>{/if}
  {#if answer}
    {#each ["vlan", "device", "cable"] as const as kind (kind)}
      {@const parts = answer.parts.filter((p) => p.kind === kind)}
      {#if parts.length}
        <fieldset class="mt-2">
          <legend class="text-[12px] text-soft">{kinds[kind]}</legend>
          {#each parts as p (p.what)}
            <label class="part py-0.5 gap-2 grid grid-cols-[auto_auto_minmax(0,1fr)] items-baseline"
              ><Checkbox checked={!left.has(p.what)} onchange={() => toggle(p.what)} />
              <span>{p.what}</span>
              <span class="mono overflow-hidden text-soft text-[13px] text-ellipsis whitespace-nowrap" data-tip={p.lines.join("\n")}
                >{p.lines.at(-1)}</span
              ></label
            >
          {/each}
        </fieldset>
      {/if}
    {/each}
    {#if answer.parts.length}
      <p>
        <Button
          class="main"
          disabled={!taken.length}
          onclick={() =>
            pending.propose(
              taken.flatMap((p) => p.lines),
              `take ${taken.length} of what answered`,
            )}
          {...only(may.plan)}>Take {taken.length} {word(taken.length, "part", "parts")}…</Button
        >
      </p>
    {:else}
      <p class="text-soft text-[13px]">Nothing there that is not here already.</p>
    {/if}
    {#if answer.failed.length}
      <details>
        <summary>{answer.failed.length} {word(answer.failed.length, "address", "addresses")} did not answer</summary>
        {#each answer.failed as f (f.at)}<p class="text-soft text-[13px]"><b class="mono">{f.at}</b> {f.why}</p>{/each}
      </details>
    {/if}
  {/if}
</section>

<style>
  form :global(input) {
    font-size: 13px;
    padding: 4px 8px;
    border: 1px solid var(--hair);
    background-color: var(--panel);
    color: var(--ink);
    flex: 1 1 220px;
    min-width: 0;
  }
  section :global(select) {
    font-size: 13px;
    padding: 3px 30px 3px 8px;
    border: 1px solid var(--hair);
    background-color: var(--panel);
    color: var(--ink);
  }
</style>
