<script lang="ts">
  import { Button } from "flowbite-svelte";
  import type { PlugTest, RoundView } from "../api/client";
  import { place } from "../state/place.svelte";
  import { spaced, wears } from "./words";

  let { now, ongo }: { now: RoundView; ongo: (t: PlugTest) => void } = $props();
  let whole = $state(false);
  const few = 5;
  const shown = $derived(whole ? now.suspects : now.suspects.slice(0, few));
</script>

<section class="panel" id="explains" aria-label="What explains it">
  {#if !now.suspects.length}
    <h2>Nothing simple explains it</h2>
    <p>No mistakes of the usual kinds, one or several, fit all that was seen. Read the devices, or look at their pages.</p>
  {:else}
    <h2>
      {now.suspects[0]!.near
        ? "This comes nearest"
        : now.suspects.length === 1 && now.suspects[0]!.ways.length === 1
          ? "This explains it"
          : "One of these explains it"}
    </h2>
    {#if now.suspects[0]!.near}<p class="soft">It does not give all that was seen: something else is otherwise, too.</p>{/if}
    <ol>
      {#each shown as s, i (i)}
        <li>
          {#each s.ways as w (w.mistakes.join())}
            <div class="way">
              <b>{w.mistakes.join(", and ")}</b>
              {#if w.mend.length}<span class="soft">set as planned: <code class="mono">{w.mend.join("; ")}</code></span>{/if}
              {#each w.devices as d (d)}<a class="noprint" href={place.href("sheets", { device: d })}>Sheet of {d}</a>{/each}
              {#if w.steps.length}
                <ul class="steps" aria-label="On the devices’ own pages">
                  {#each w.steps as x (x.device + x.where + x.text)}<li>
                      <b>{x.device}</b>{x.text.startsWith(x.where) ? "" : `, ${x.where}`}: {x.text}
                    </li>{/each}
                </ul>
              {/if}
            </div>
          {/each}
          {#if s.or?.length}
            <p class="soft">Instead of one of these it may be one that a laptop cannot tell from it: {s.or.join("; ")}.</p>
          {/if}
        </li>
      {/each}
    </ol>
    {#if now.suspects.length > few || now.more}
      <p class="soft">
        {#if !whole && now.suspects.length > few}<Button onclick={() => (whole = true)}>Show {now.suspects.length - few} more</Button>{/if}
        {#if now.more}{now.more} less likely ones are not shown.{/if}
      </p>
    {/if}
  {/if}
  {#if now.next}
    <p class="next noprint">
      To tell them apart, plug in next at <b class="mono">{spaced(now.next.port)}</b>, {wears(now.next)}.
      <Button class="main" onclick={() => ongo(now.next!)}>Go there</Button>
    </p>
  {/if}
</section>

<style>
  section {
    margin-top: 12px;
    border-left: 4px solid var(--red);
  }
  h2 {
    font-weight: 700;
  }
  ol {
    margin: 2px 0;
  }
  li {
    padding: 3px 0;
    border-top: 1px solid var(--hair);
  }
  li:first-child {
    border-top: 0;
  }
  .steps {
    flex-basis: 100%;
    font-size: 13px;
  }
  .steps li {
    padding: 0 0 0 10px;
    border: 0;
  }
  .way {
    display: flex;
    flex-wrap: wrap;
    gap: 0 12px;
    align-items: baseline;
  }
  .soft {
    color: var(--soft);
    font-size: 13px;
  }
  a {
    text-decoration: underline;
    text-underline-offset: 2px;
    font-size: 13px;
  }
  .next {
    margin-top: 6px;
  }
  @media print {
    .noprint {
      display: none;
    }
  }
</style>
