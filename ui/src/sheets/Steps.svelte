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
  <h2 class="mb-1 font-bold">
    Steps, from {from}
    <span class="font-normal text-soft text-[13px]">{left ? `${left} left` : steps.length ? "all done" : "nothing to do"}</span>
  </h2>
  {#if caution}<p class="mb-1.5 px-2 py-0.5 border-l-3 border-amber">{caution} <a href={place.href("orders")}>Orders</a></p>{/if}
  <ol>
    {#each steps as s, i (s.text + i)}
      {@const t = done.get(s.text)}
      <li class="print:break-inside-avoid" class:done={t}>
        <label class="px-1 py-0.75 border-b border-hair gap-1 grid grid-cols-[20px_26px_1fr] items-baseline text-[13.5px]">
          <Checkbox checked={!!t} onchange={(e) => tick(s.text, e.currentTarget.checked)} {...only(may.carry)} />
          <span class="n mono pr-1 text-soft text-right">{i + 1}</span>
          <span
            ><span class="where mr-1 px-1.25 border border-hair text-[11px] text-soft whitespace-nowrap">{s.where}</span>
            {s.text}{#if t}<i class="font-normal text-soft text-[13px]"> {t.author}</i>{/if}</span
          >
        </label>
      </li>
    {/each}
  </ol>
  {#if ticks.length}<Button class="noprint" onclick={() => tick("", false)} {...only(may.carry)}>Begin anew</Button>{/if}
</div>

<style>
  .steps :global(input) {
    align-self: center;
  }
  .done label > span:last-child {
    color: var(--soft);
    text-decoration: line-through;
    text-decoration-color: var(--faint);
  }
  .steps :global(button) {
    margin-top: 8px;
  }
</style>
