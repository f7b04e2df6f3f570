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
  <h2 class="mb-1 font-bold">Wishes <span class="text-soft font-normal text-[12.5px]">judged at every edit</span></h2>
  <ul>
    {#each wishes as w (w.text)}
      {@const f = finding(w.text)}
      <li class="py-0.5 gap-y-0.5 gap-x-2 flex flex-wrap items-center text-[13px]" class:broken={!w.holds}>
        <span class="sign mono w-3.5 font-bold text-soft" data-tip={w.holds ? "holds" : "is broken"}>{w.holds ? "✓" : "!"}</span>
        <Button
          class="what px-1 py-0 border-transparent! flex-1 text-left wrap-anywhere"
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
          <p class="pl-5.5 w-full text-red">{w.why}</p>
          {#if f}{#each mends.of(f).slice(0, 1) as m (m[0])}<Button
                class="mono mend ml-5.5 text-[12px] wrap-anywhere text-left"
                onclick={() => pending.propose(m)}
                {...only(may.plan)}>{m[0]}{m.length > 1 ? " …" : ""}</Button
              >{/each}{/if}
        {/if}
      </li>
    {:else}
      <li class="py-0.5 gap-y-0.5 gap-x-2 flex flex-wrap items-center text-soft font-normal text-[12.5px]">
        Nothing is wished yet. Go to a cell and press <kbd>+</kbd> for what must be able to talk, <kbd>-</kbd> for what must never.
      </li>
    {/each}
  </ul>
</section>

<style>
  .broken .sign {
    color: var(--red);
  }
</style>
