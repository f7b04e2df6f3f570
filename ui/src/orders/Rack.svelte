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

<section class="card" aria-live="polite">
  {#if step && visit}
    <p class="where"><b>{visit.device}</b> {[sites.where(visit.device), how(visit)].filter(Boolean).join(", ")}</p>
    <p class="count mono">step {done + 1} of {steps.length} · {left} left at this visit</p>
    {#if step.changes.length}
      <p class="act">{step.changes.join("; ")}</p>
      <p class="whole">{step.text}</p>
    {:else}
      <p class="act">{step.text}</p>
    {/if}
    {#if step.kind === "set" && step.page}<p class="page">on the page {step.page}</p>{/if}
    {#each step.told as line (line)}<p class="told" class:bad={/^(LEAK|Interrupted)|out of reach/.test(line)}>{line}</p>{/each}
    {#if step.undo.length}<p class="then">If it goes wrong, back: {step.undo.join("; ")}</p>{/if}
    {#if steps[done + 1]}<p class="then">Then: {steps[done + 1]!.text}</p>{/if}
    <div class="acts">
      <Button disabled={!done || order.ended} onclick={() => tick(done - 1, false)} {...only(may.carry)}>‹ Not done after all</Button>
      <Button class="main" disabled={order.ended} onclick={() => tick(done, true)} {...only(may.carry)}>Done ›</Button>
    </div>
    {#if !order.ended}<Stuck {order} {done} {say} {make} />{/if}
  {:else}
    <p class="act">All {steps.length} steps are done.</p>
    <div class="acts"><Button onclick={() => tick(done - 1, false)} {...only(may.carry)}>‹ The last is not</Button></div>
  {/if}
</section>

<style>
  .card {
    border: 1px solid var(--ink);
    background: var(--panel);
    padding: 14px 16px;
    max-width: 620px;
    margin: 10px auto;
  }
  .where {
    font-size: 17px;
  }
  .count,
  .page,
  .then {
    color: var(--soft);
    font-size: 13px;
  }
  .act {
    font-size: 20px;
    line-height: 1.3;
    margin: 12px 0 6px;
  }
  .whole {
    font-size: 16px;
  }
  .told {
    font-size: 15px;
    margin-top: 4px;
  }
  .bad {
    color: var(--red);
  }
  .then {
    margin-top: 10px;
  }
  .acts {
    display: flex;
    gap: 10px;
    margin: 16px 0 8px;
  }
  .acts > :global(button) {
    flex: 1;
    min-height: 48px;
    font-size: 16px;
  }
</style>
