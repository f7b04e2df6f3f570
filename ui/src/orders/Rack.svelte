<script lang="ts">
  import { may, only } from "../state/may.svelte";
  import { Button } from "flowbite-svelte";
  import type { OrderRequest, WorkOrder } from "../api/client";
  import Stuck from "./Stuck.svelte";
  import { sites } from "../state/sites.svelte";
  import { how } from "./lanes";

  let {
    order,
    done,
    tick,
    say,
    make,
  }: {
    order: WorkOrder;
    done: number;
    tick: (step: number, on: boolean) => void;
    say: (step: number, said: "refused" | "silent", words: string) => Promise<void>;
    make: (body: OrderRequest) => void;
  } = $props();

  const steps = $derived(order.order!.steps);
  const step = $derived(steps[done]);
  const visit = $derived(step ? order.order!.visits[step.visit]! : null);
  const left = $derived(step ? steps.filter((s, k) => s.visit === step.visit && k >= done).length : 0);
</script>

<section class="card mx-auto my-2.5 px-4 py-3.5 border border-ink bg-panel max-w-155" aria-live="polite">
  {#if step && visit}
    <p class="where text-[17px]"><b>{visit.device}</b> {[sites.where(visit.device), how(visit)].filter(Boolean).join(", ")}</p>
    <p class="count mono text-soft text-[13px]">step {done + 1} of {steps.length} · {left} left at this visit</p>
    {#if step.changes.length}
      <p class="act mt-3 mb-1.5 text-[20px] leading-[1.3]">{step.changes.join("; ")}</p>
      <p class="whole text-[16px]">{step.text}</p>
    {:else}
      <p class="act mt-3 mb-1.5 text-[20px] leading-[1.3]">{step.text}</p>
    {/if}
    {#if step.kind === "set" && step.page}<p class="text-soft text-[13px]">on the page {step.page}</p>{/if}
    {#each step.told as line (line)}<p class="told mt-1 text-[15px]" class:bad={/^(LEAK|Interrupted)|out of reach/.test(line)}>
        {line}
      </p>{/each}
    {#if step.undo.length}<p class="then mt-2.5 text-soft text-[13px]">If it goes wrong, back: {step.undo.join("; ")}</p>{/if}
    {#if steps[done + 1]}<p class="then mt-2.5 text-soft text-[13px]">Then: {steps[done + 1]!.text}</p>{/if}
    <div class="acts mt-4 mb-2 gap-2.5 flex">
      <Button class="flex-1 min-h-12 text-[16px]" disabled={!done || order.ended} onclick={() => tick(done - 1, false)} {...only(may.carry)}
        >‹ Not done after all</Button
      >
      <Button class="main flex-1 min-h-12 text-[16px]" disabled={order.ended} onclick={() => tick(done, true)} {...only(may.carry)}
        >Done ›</Button
      >
    </div>
    {#if !order.ended}<Stuck {order} {done} {say} {make} />{/if}
  {:else}
    <p class="act mt-3 mb-1.5 text-[20px] leading-[1.3]">All {steps.length} steps are done.</p>
    <div class="acts mt-4 mb-2 gap-2.5 flex">
      <Button class="flex-1 min-h-12 text-[16px]" onclick={() => tick(done - 1, false)} {...only(may.carry)}>‹ The last is not</Button>
    </div>
  {/if}
</section>

<style>
  .bad {
    color: var(--red);
  }
</style>
