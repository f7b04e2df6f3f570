<script lang="ts">
  import type { Journey } from "../api/client";
  import Frame from "./Frame.svelte";

  let { journey, to, hues }: { journey: Journey; to: string; hues: Map<number, string> } = $props();
  const spaced = (port: string) => port.replace(".", " ");
</script>

<section class="way panel" class:lost={!journey.arrives || !!journey.back}>
  {#if journey.arrives}
    <h2>
      It arrives at {spaced(to)}{journey.slowest
        ? `; the slowest cable on the way has ${journey.slowest} (${journey.at?.split(" ").map(spaced).join(" to ")})`
        : ""}
    </h2>
    {#if journey.back}<p class="wrong">{journey.back}</p>{/if}
    <ol>
      {#each journey.steps as s, i (i)}
        <li class:routed={s.routed}>
          <div class="boxes">
            <span class="mono port">{s.in}</span>
            <Frame wire={s.wireIn} vlan={s.vlan} {hues} />
            <b>{s.device}</b>
            {#if s.out}<Frame wire={s.wire} vlan={s.vlan} {hues} /><span class="mono port">{s.out}</span>{/if}
          </div>
          <p class="told">{s.text}.</p>
          {#if s.speed && i + 1 < journey.steps.length}<p class="cable">cable, {s.speed}</p>{/if}
        </li>
      {/each}
    </ol>
  {:else}
    <h2>It does not arrive at {spaced(to)}</h2>
    <p class="wrong">{journey.why}</p>
  {/if}
</section>

<style>
  .way {
    margin-bottom: 14px;
  }
  h2 {
    font-weight: 700;
    margin-bottom: 6px;
  }
  ol {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(250px, 1fr));
    gap: 10px;
  }
  li {
    border-left: 2px solid var(--ink);
    padding-left: 12px;
  }
  .routed {
    border-left-style: double;
    border-left-width: 4px;
  }
  .boxes {
    display: flex;
    gap: 7px;
    align-items: center;
    margin-bottom: 2px;
  }
  .port,
  .cable {
    font-size: 12px;
    color: var(--soft);
  }
  p {
    font-size: 13.5px;
    line-height: 1.35;
  }
  .told::first-letter {
    text-transform: uppercase;
  }
  .lost {
    border-color: var(--red);
  }
</style>
