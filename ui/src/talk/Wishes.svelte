<script lang="ts">
  import { may, only } from "../state/may.svelte";
  import { Button } from "flowbite-svelte";
  import type { TalkTable } from "../api/client";
  import { mends } from "../state/mends.svelte";
  import { office } from "../state/office.svelte";
  import { pending } from "../state/pending.svelte";

  let { wishes, onshow }: { wishes: TalkTable["wishes"]; onshow: (from: number, to: number) => void } = $props();

  const named = (s: string) =>
    s.replace(/\bvlan (\d+)/g, (all, v: string) => office.shown?.vlans.find((x) => String(x.vid) === v)?.name || all);
  const finding = (text: string) => (office.then ? [] : (office.view?.findings ?? [])).find((f) => f.wish === text);
</script>

<section class="wishes panel">
  <h2>Wishes <span class="soft">judged at every edit</span></h2>
  <ul>
    {#each wishes as w (w.text)}
      {@const f = finding(w.text)}
      <li class:broken={!w.holds}>
        <span class="sign mono" data-tip={w.holds ? "holds" : "is broken"}>{w.holds ? "✓" : "!"}</span>
        <Button
          class="what"
          data-tip="Show it in the table"
          disabled={!w.covers.length}
          onclick={() => {
            const [from, to] = (w.bad[0] ?? w.covers[0])!;
            onshow(from!, to!);
          }}>{named(w.text)}</Button
        >
        {#if !may.plan}<Button
            aria-label={`Take the wish ${w.text} away`}
            onclick={() => pending.propose([`-${w.text}`])}
            {...only(may.plan)}>×</Button
          >{/if}
        {#if !w.holds}
          <p>{w.why}</p>
          {#if f}{#each mends.of(f).slice(0, 1) as m (m[0])}<Button class="mono mend" onclick={() => pending.propose(m)} {...only(may.plan)}
                >{m[0]}{m.length > 1 ? " …" : ""}</Button
              >{/each}{/if}
        {/if}
      </li>
    {:else}
      <li class="soft">
        Nothing is wished yet. Go to a cell and press <kbd>+</kbd> for what must be able to talk, <kbd>-</kbd> for what must never.
      </li>
    {/each}
  </ul>
</section>

<style>
  h2 {
    font-weight: 700;
    margin-bottom: 4px;
  }
  .soft {
    color: var(--soft);
    font-weight: 400;
    font-size: 12.5px;
  }
  li {
    display: flex;
    flex-wrap: wrap;
    gap: 2px 8px;
    align-items: center;
    padding: 2px 0;
    font-size: 13px;
  }
  .sign {
    width: 14px;
    font-weight: 700;
    color: var(--soft);
  }
  .broken .sign {
    color: var(--red);
  }
  .wishes :global(.what) {
    flex: 1;
    text-align: left;
    border-color: transparent;
    padding: 0 4px;
    overflow-wrap: anywhere;
  }
  p {
    width: 100%;
    padding-left: 22px;
    color: var(--red);
  }
  .wishes :global(.mend) {
    margin-left: 22px;
    font-size: 12px;
    overflow-wrap: anywhere;
    text-align: left;
  }
</style>
