<script lang="ts">
  import { may, only } from "../state/may.svelte";
  import { Button, Label, Textarea } from "flowbite-svelte";
  import type { OrderRequest, WorkOrder } from "../api/client";
  import { place } from "../state/place.svelte";

  let {
    order,
    done,
    say,
    make,
  }: {
    order: WorkOrder;
    done: number;
    say: (step: number, said: "refused" | "silent", words: string) => Promise<void>;
    make: (body: OrderRequest) => void;
  } = $props();

  const step = $derived(order.order!.steps[done]!);
  const last = $derived((order.said ?? []).filter((x) => x.step === done).at(-1));
  let asking = $state(false);
  let words = $state("");

  async function refused(e: Event) {
    e.preventDefault();
    await say(done, "refused", words);
    asking = false;
    words = "";
  }
</script>

<div class="stuck noprint pt-1 pb-2 gap-2 grid">
  {#if asking}
    <form class="gap-1.5 grid max-w-140" onsubmit={refused}>
      <Label for="refused">{step.kind === "cable" || step.kind === "laptop" ? "What is in the way?" : `What did ${step.device} say?`}</Label
      >
      <Textarea id="refused" bind:value={words} maxlength={2000} rows={3} placeholder="word for word" class="field w-full" />
      <span class="acts gap-1.5 flex flex-wrap">
        <Button type="submit" class="main">Write it down</Button>
        <Button type="button" color="alternative" onclick={() => (asking = false)}>It went well after all</Button>
      </span>
    </form>
  {:else}
    <span class="acts gap-1.5 flex flex-wrap">
      {#if step.kind !== "check"}
        <Button size="sm" color="alternative" onclick={() => (asking = true)}
          >{step.kind === "cable" || step.kind === "laptop" ? "Cannot be done …" : "Refused …"}</Button
        >
      {/if}
      <Button size="sm" color="alternative" onclick={() => void say(done, "silent", "")}>No answer</Button>
    </span>
  {/if}
  {#if last}
    <div class="after px-3 py-2 border-l-3 border-red gap-1.5 bg-red-wash grid" role="status">
      <p>
        <b
          >{last.said === "silent"
            ? `No answer came to step ${done + 1}.`
            : step.kind === "cable" || step.kind === "laptop"
              ? `Step ${done + 1} could not be done.`
              : `${step.device} refused step ${done + 1}.`}</b
        >
        {#if last.words}<q class="italic">{last.words}</q>{/if}
        <span class="by text-soft text-[12px]">{last.byDevice ? "by the device" : last.author}</span>
      </p>
      {#if step.undo.length}
        <p>The way back, if a part of it was done:</p>
        <ul class="pl-5 list-disc">
          {#each step.undo as text (text)}<li>{text}</li>{/each}
        </ul>
      {/if}
      {#if order.reached?.length}<p>Reached from here, if nothing of it was done: {order.reached.join(", ")}.</p>{/if}
      {#if order.lost?.length}<p class="bad text-red">Not reached: {order.lost.join(", ")}.</p>{/if}
      <p>Then say what {step.device} is set to now, and go on from there or back:</p>
      <span class="acts gap-1.5 flex flex-wrap">
        <Button size="sm" color="alternative" class="rounded-sm bg-panel" href={place.href("field", { device: step.device })}
          >What is {step.device} set to?</Button
        >
        <Button size="sm" color="alternative" onclick={() => make({ from: "found" })} {...only(may.carry)}>Work the rest out anew</Button>
        <Button
          size="sm"
          color="alternative"
          class="rounded-sm"
          disabled={!done || order.back}
          onclick={() => make({ from: "back" })}
          {...only(may.carry)}>Go back from here</Button
        >
      </span>
    </div>
  {/if}
</div>

<style>
  :global(.card) .stuck :global(button),
  :global(.card) .stuck :global(a) {
    min-height: 48px;
    flex: 1 1 40%;
  }
</style>
