<script lang="ts">
  import { may, only } from "../state/may.svelte";
  import { Button, Checkbox } from "flowbite-svelte";
  import { api, type Sheet, type SheetAnswer } from "../api/client";
  import { office } from "../state/office.svelte";
  import { place } from "../state/place.svelte";

  let {
    device,
    steps,
    from,
    caution = "",
    ticks,
    onchange,
  }: {
    device: string;
    steps: Sheet["steps"];
    from: string;
    /** Who suffers by the steps, or what stands against an order for this device alone. */
    caution?: string;
    ticks: SheetAnswer["ticks"];
    onchange: () => void;
  } = $props();

  const done = $derived(new Map(ticks.map((t) => [t.step, t])));
  const left = $derived(steps.filter((s) => !done.has(s.text)).length);

  async function tick(step: string, on: boolean) {
    try {
      await api.tick(office.view!.id, device, step, on);
    } catch (e) {
      office.tell(e);
    }
    onchange();
  }
</script>

<div class="steps">
  <h2>Steps, from {from} <span>{left ? `${left} left` : steps.length ? "all done" : "nothing to do"}</span></h2>
  {#if caution}<p class="caution">{caution} <a href={place.href("orders")}>Orders</a></p>{/if}
  <ol>
    {#each steps as s, i (s.text + i)}
      {@const t = done.get(s.text)}
      <li class:done={t}>
        <label>
          <Checkbox checked={!!t} onchange={(e) => tick(s.text, e.currentTarget.checked)} {...only(may.carry)} />
          <span class="n mono">{i + 1}</span>
          <span
            ><span class="where">{s.where}</span>
            {s.text}{#if t}<i> {t.author}</i>{/if}</span
          >
        </label>
      </li>
    {/each}
  </ol>
  {#if ticks.length}<Button class="noprint" onclick={() => tick("", false)} {...only(may.carry)}>Begin anew</Button>{/if}
</div>

<style>
  .caution {
    border-left: 3px solid var(--amber);
    padding: 2px 8px;
    margin-bottom: 6px;
  }
  h2 {
    font-weight: 700;
    margin-bottom: 4px;
  }
  h2 span,
  i {
    font-weight: 400;
    color: var(--soft);
    font-size: 13px;
  }
  label {
    display: grid;
    grid-template-columns: 20px 26px 1fr;
    gap: 4px;
    align-items: baseline;
    padding: 3px 4px;
    border-bottom: 1px solid var(--hair);
    font-size: 13.5px;
  }
  .steps :global(input) {
    align-self: center;
  }
  .n {
    color: var(--soft);
    text-align: right;
    padding-right: 4px;
  }
  .where {
    font-size: 11px;
    border: 1px solid var(--hair);
    padding: 0 5px;
    margin-right: 4px;
    color: var(--soft);
    white-space: nowrap;
  }
  .done label > span:last-child {
    color: var(--soft);
    text-decoration: line-through;
    text-decoration-color: var(--faint);
  }
  .steps :global(button) {
    margin-top: 8px;
  }
  @media print {
    li {
      break-inside: avoid;
    }
  }
</style>
