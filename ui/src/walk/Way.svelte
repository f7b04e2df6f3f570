<script lang="ts">
  import type { Journey } from "../api/client";
  import Frame from "./Frame.svelte";

  let { journey, to, hues }: { journey: Journey; to: string; hues: Map<number, string> } = $props();
  const spaced = (port: string) => port.replace(".", " ");
</script>

<section class="way panel mb-3.5" class:lost={!journey.arrives || !!journey.back}>
  {#if journey.arrives}
    <h2 class="mb-1.5 font-bold">
      It arrives at {spaced(to)}{journey.slowest
        ? `; the slowest cable on the way has ${journey.slowest} (${journey.at?.split(" ").map(spaced).join(" to ")})`
        : ""}
    </h2>
    {#if journey.back}<p class="wrong text-[13.5px] leading-[1.35]">{journey.back}</p>{/if}
    <ol class="gap-2.5 grid grid-cols-[repeat(auto-fill,minmax(250px,1fr))]">
      {#each journey.steps as s, i (i)}
        <li class="pl-3 border-l-2 border-ink" class:routed={s.routed}>
          <div class="mb-0.5 gap-1.75 flex items-center">
            <span class="mono port text-[12px] text-soft">{s.in}</span>
            <Frame wire={s.wireIn} vlan={s.vlan} {hues} />
            <b>{s.device}</b>
            {#if s.out}<Frame wire={s.wire} vlan={s.vlan} {hues} /><span class="mono port text-[12px] text-soft">{s.out}</span>{/if}
          </div>
          <p class="told text-[13.5px] leading-[1.35]">{s.text}.</p>
          {#if s.speed && i + 1 < journey.steps.length}<p class="cable leading-[1.35] text-[12px] text-soft">cable, {s.speed}</p>{/if}
        </li>
      {/each}
    </ol>
  {:else}
    <h2 class="mb-1.5 font-bold">It does not arrive at {spaced(to)}</h2>
    <p class="wrong text-[13.5px] leading-[1.35]">{journey.why}</p>
  {/if}
</section>

<style>
  .routed {
    border-left-style: double;
    border-left-width: 4px;
  }
  .told::first-letter {
    text-transform: uppercase;
  }
  .lost {
    border-color: var(--red);
  }
</style>
