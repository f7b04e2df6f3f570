<script lang="ts">
  import { Button } from "flowbite-svelte";
  import type { TalkAnswer } from "../api/client";
  import { hues } from "../state/hues.svelte";

  let {
    answer,
    name,
    which = "",
    onrule,
  }: {
    answer: TalkAnswer;
    name: (vid: number) => string;
    /** Which part is open, in words. */
    which?: string;
    onrule: (device: string, rule: number) => void;
  } = $props();

  type Leg = TalkAnswer["there"];
  const vid = (x: unknown) => (x === "outside" ? 0 : Number(x));
  const hue = (x: unknown) => (vid(x) ? hues.of.get(vid(x)) : "var(--soft)");
  const legs = $derived<[string, Leg][]>([
    [`There, ${answer.told}${answer.toldTo ? `, ${answer.toldFrom} to ${answer.toldTo}` : ""}`, answer.there],
    ["The answer, back", answer.back],
  ]);
  const open = $derived(answer.services[0] === "any" ? "everything" : answer.services.join(", "));
</script>

<section class="ways panel" class:closed={answer.verdict === "no"}>
  <h2 class="font-bold wrap-anywhere">
    {answer.from} to {answer.to}{answer.service === "any" ? "" : `, ${answer.service}`}:
    {#if answer.verdict === "yes"}yes{:else if answer.verdict === "no"}no{:else}in part: {which || open}{/if}
  </h2>
  {#each legs as [title, leg] (title)}
    {#if leg.hops.length || leg.stopped}
      <h3 class="mt-2 mb-0.5 text-[11px] font-bold tracking-[0.05em] uppercase text-soft">{title}</h3>
      <ol class="pl-3 border-l-2 border-ink gap-1 grid">
        {#each leg.hops as h, i (i)}
          <li class="gap-y-1 gap-x-2 flex flex-wrap items-center text-[13.5px]">
            <span class="vlan mono pl-1 border-l-4 border-(--vlan) text-[12.5px]" style:--vlan={hue(h.in)}>{vid(h.in) || "out"}</span>
            <b>{h.device}</b>
            <span class="mono at text-[12px] text-soft">{h.address || "its line"}</span>
            <span class="vlan mono pl-1 border-l-4 border-(--vlan) text-[12.5px]" style:--vlan={hue(h.out)} data-tip={name(vid(h.out))}
              >{vid(h.out) || "out"}</span
            >
            {#if h.rule}<Button
                class="mono rule text-[12px] wrap-anywhere text-left"
                onclick={() => onrule(h.device, h.rule!)}
                data-tip={`Rule ${h.rule} of ${h.device}`}>{h.rule}. {h.decides}</Button
              >{:else}<span class="mono rule text-[12px] wrap-anywhere text-left">{h.decides}</span>{/if}
          </li>
        {/each}
        {#if leg.stopped}
          <li class="gap-y-1 gap-x-2 flex flex-wrap items-center text-[13.5px] text-red">
            <b>stopped{leg.stopped.device ? ` at ${leg.stopped.device}` : ""}</b>
            <span>{leg.stopped.text}</span>
            {#if leg.stopped.rule}<Button onclick={() => onrule(leg.stopped!.device, leg.stopped!.rule!)}>rule {leg.stopped.rule}</Button
              >{/if}
          </li>
        {:else}
          <li class="end gap-y-1 gap-x-2 flex flex-wrap items-center text-soft text-[12.5px]">
            {title.startsWith("There") ? "arrives" : "comes back"}
          </li>
        {/if}
      </ol>
    {/if}
  {/each}
  {#if !answer.there.hops.length && !answer.there.stopped}<p>
      The same subnet: no device that routes is on the way, and no rule applies.
    </p>{/if}
  {#if answer.slowest}<p class="slow text-soft text-[12.5px]">
      The slowest cable: {answer.slowest.mbps} Mbit/s, {answer.slowest.cable.map((c) => c.replace(".", " ")).join(" to ")}
    </p>{/if}
</section>

<style>
  .closed {
    border-left: 3px solid var(--red);
  }
</style>
