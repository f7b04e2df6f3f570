<script lang="ts">
  import { Button } from "flowbite-svelte";
  import type { PlugTest, RoundView } from "../api/client";
  import { place } from "../state/place.svelte";
  import { spaced, wears } from "./words";

  let {
    suspects,
    more,
    next,
    ongo,
    played = false,
  }: {
    suspects: RoundView["suspects"];
    more: number; // less likely ones
    next: RoundView["next"];
    ongo: (t: PlugTest) => void;
    played?: boolean; // on what devices were found set to: nobody was there
  } = $props();
  let whole = $state(false);
  const few = 5;
  const shown = $derived(whole ? suspects : suspects.slice(0, few));
</script>

<section
  class="panel mt-3 border-l-4 border-l-red"
  id={played ? undefined : "explains"}
  aria-label={played ? "What explains what was played" : "What explains it"}
>
  {#if !suspects.length}
    <h2 class="font-bold">Nothing simple explains it</h2>
    <p>No mistakes of the usual kinds, one or several, fit all that was seen. Read the devices, or look at their pages.</p>
  {:else}
    <h2 class="font-bold">
      {suspects[0]!.near
        ? "This comes nearest"
        : suspects.length === 1 && suspects[0]!.ways.length === 1
          ? "This explains it"
          : "One of these explains it"}
    </h2>
    {#if suspects[0]!.near}<p class="text-soft text-[13px]">It does not give all that was seen: something else is otherwise, too.</p>{/if}
    <ol class="my-0.5">
      {#each shown as s, i (i)}
        <li class="py-0.75 border-t border-hair first:border-t-0">
          {#each s.ways as w (w.mistakes.join())}
            <div class="way gap-x-3 flex flex-wrap items-baseline">
              <b>{w.mistakes.join(", and ")}</b>
              {#if w.mend.length}<span class="text-soft text-[13px]">set as planned: <code class="mono">{w.mend.join("; ")}</code></span
                >{/if}
              {#each w.devices as d (d)}<a
                  class="noprint underline underline-offset-2 text-[13px]"
                  href={place.href("sheets", { device: d })}>Sheet of {d}</a
                >{/each}
              {#if w.steps.length}
                <ul class="steps basis-full text-[13px]" aria-label="On the devices’ own pages">
                  {#each w.steps as x (x.device + x.where + x.text)}<li class="py-0.75 border-t border-hair first:border-t-0">
                      <b>{x.device}</b>{x.text.startsWith(x.where) ? "" : `, ${x.where}`}: {x.text}
                    </li>{/each}
                </ul>
              {/if}
            </div>
          {/each}
          {#if s.or?.length}
            <p class="text-soft text-[13px]">
              Instead of one of these it may be one that a laptop cannot tell from it: {s.or.join("; ")}.
            </p>
          {/if}
        </li>
      {/each}
    </ol>
    {#if suspects.length > few || more}
      <p class="text-soft text-[13px]">
        {#if !whole && suspects.length > few}<Button onclick={() => (whole = true)}>Show {suspects.length - few} more</Button>{/if}
        {#if more}{more} less likely ones are not shown.{/if}
      </p>
    {/if}
  {/if}
  {#if next}
    <p class="next noprint mt-1.5">
      To tell them apart, plug in next at <b class="mono">{spaced(next.port)}</b>, {wears(next)}.
      <Button class="main" onclick={() => ongo(next!)}>Go there</Button>
    </p>
  {/if}
</section>

<style>
  .steps li {
    padding: 0 0 0 10px;
    border: 0;
  }
</style>
