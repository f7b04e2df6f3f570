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
  <h2>
    {answer.from} to {answer.to}{answer.service === "any" ? "" : `, ${answer.service}`}:
    {#if answer.verdict === "yes"}yes{:else if answer.verdict === "no"}no{:else}in part: {which || open}{/if}
  </h2>
  {#each legs as [title, leg] (title)}
    {#if leg.hops.length || leg.stopped}
      <h3>{title}</h3>
      <ol>
        {#each leg.hops as h, i (i)}
          <li>
            <span class="vlan mono" style:--vlan={hue(h.in)}>{vid(h.in) || "out"}</span>
            <b>{h.device}</b>
            <span class="mono at">{h.address || "its line"}</span>
            <span class="vlan mono" style:--vlan={hue(h.out)} data-tip={name(vid(h.out))}>{vid(h.out) || "out"}</span>
            {#if h.rule}<Button class="mono rule" onclick={() => onrule(h.device, h.rule!)} data-tip={`Rule ${h.rule} of ${h.device}`}
                >{h.rule}. {h.decides}</Button
              >{:else}<span class="mono rule">{h.decides}</span>{/if}
          </li>
        {/each}
        {#if leg.stopped}
          <li class="stop">
            <b>stopped{leg.stopped.device ? ` at ${leg.stopped.device}` : ""}</b>
            <span>{leg.stopped.text}</span>
            {#if leg.stopped.rule}<Button onclick={() => onrule(leg.stopped!.device, leg.stopped!.rule!)}>rule {leg.stopped.rule}</Button
              >{/if}
          </li>
        {:else}
          <li class="end">{title.startsWith("There") ? "arrives" : "comes back"}</li>
        {/if}
      </ol>
    {/if}
  {/each}
  {#if !answer.there.hops.length && !answer.there.stopped}<p>
      The same subnet: no device that routes is on the way, and no rule applies.
    </p>{/if}
  {#if answer.slowest}<p class="slow">
      The slowest cable: {answer.slowest.mbps} Mbit/s, {answer.slowest.cable.map((c) => c.replace(".", " ")).join(" to ")}
    </p>{/if}
</section>

<style>
  h2 {
    font-weight: 700;
    overflow-wrap: anywhere;
  }
  h3 {
    font-size: 11px;
    font-weight: 700;
    letter-spacing: 0.05em;
    text-transform: uppercase;
    color: var(--soft);
    margin: 8px 0 2px;
  }
  .closed {
    border-left: 3px solid var(--red);
  }
  ol {
    display: grid;
    gap: 4px;
    border-left: 2px solid var(--ink);
    padding-left: 12px;
  }
  li {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 8px;
    align-items: center;
    font-size: 13.5px;
  }
  .vlan {
    border-left: 4px solid var(--vlan);
    padding-left: 4px;
    font-size: 12.5px;
  }
  .at {
    font-size: 12px;
    color: var(--soft);
  }
  .ways :global(.rule) {
    font-size: 12px;
    overflow-wrap: anywhere;
    text-align: left;
  }
  .stop {
    color: var(--red);
  }
  .end,
  .slow {
    color: var(--soft);
    font-size: 12.5px;
  }
</style>
