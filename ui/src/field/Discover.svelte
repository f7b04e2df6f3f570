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

<section>
  <h2>Devices that are not here yet</h2>
  <form onsubmit={ask}>
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
  {#if wrong}<p class="warn" role="alert">{wrong}</p>{/if}
  {#if answer}
    {#each ["vlan", "device", "cable"] as const as kind (kind)}
      {@const parts = answer.parts.filter((p) => p.kind === kind)}
      {#if parts.length}
        <fieldset>
          <legend>{kinds[kind]}</legend>
          {#each parts as p (p.what)}
            <label class="part"
              ><Checkbox checked={!left.has(p.what)} onchange={() => toggle(p.what)} />
              <span>{p.what}</span>
              <span class="mono soft" data-tip={p.lines.join("\n")}>{p.lines.at(-1)}</span></label
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
      <p class="soft">Nothing there that is not here already.</p>
    {/if}
    {#if answer.failed.length}
      <details>
        <summary>{answer.failed.length} {word(answer.failed.length, "address", "addresses")} did not answer</summary>
        {#each answer.failed as f (f.at)}<p class="soft"><b class="mono">{f.at}</b> {f.why}</p>{/each}
      </details>
    {/if}
  {/if}
</section>

<style>
  section {
    margin-top: 18px;
  }
  form {
    display: flex;
    flex-wrap: wrap;
    gap: 6px 8px;
    align-items: center;
    margin: 6px 0;
  }
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
  fieldset {
    margin-top: 8px;
  }
  legend {
    font-size: 12px;
    color: var(--soft);
  }
  .part {
    display: grid;
    grid-template-columns: auto auto minmax(0, 1fr);
    gap: 8px;
    align-items: baseline;
    padding: 2px 0;
  }
  .part .mono {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .soft {
    color: var(--soft);
    font-size: 13px;
  }
  .warn {
    color: var(--red);
  }
</style>
