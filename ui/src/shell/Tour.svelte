<!-- Where things are, in six sentences with the thing itself lit; it covers nothing that it speaks of, and ends at any moment. -->
<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { panels } from "../state/panels.svelte";
  import { back } from "../state/back";

  const stops: [what: string, name: string, says: string][] = [
    [
      "#board",
      "The board",
      "A row is a VLAN, a column a port, or several that are set alike: U is untagged, T tagged, and u, t and . set them, here and at the far end of a cable alike.",
    ],
    [
      "[data-tour=cables]",
      "Brackets",
      "Below the ports each bracket is a cable: what it carries, and where its two ends do not agree. What is red is wrong there.",
    ],
    [
      ".chip[aria-label^='All findings']",
      "Findings",
      "What breaks, what is a risk, what could be tidier, judged at every edit; n steps through them, m shows what a mend would do before it is done.",
    ],
    [
      "form.line",
      "The line",
      "Everything can be typed as well: it completes as you type, says what a statement would change before Enter does it, and goes to any port or device by name.",
    ],
    [
      "nav[aria-label=Views]",
      "Four groups of views",
      "Plan what should be, ask where frames come out and who may talk to whom, do it on the devices step by step without locking anyone out, keep what was.",
    ],
    [
      "#revision",
      "Every edit is kept",
      "There is nothing to save: each edit is a revision, undo is Ctrl+Z, History shows all of them, and others see yours at once.",
    ],
  ];
  const at = $derived(Math.min(Math.max(panels.tour, 1), stops.length) - 1);
  const stop = $derived(stops[at]!);
  let card: HTMLElement | undefined = $state();
  let high = $state(false); // above, where what it speaks of is below

  // What is closing still gives its focus back: the card takes it when that is done.
  $effect(() => {
    void at; // a button that one stop has and the next has not leaves nothing behind
    card?.focus();
    document.querySelector("dialog[open]")?.addEventListener("close", () => card?.focus(), { once: true });
  });
  $effect(() => {
    const el = document.querySelector<HTMLElement>(stop[0]);
    if (!el) return;
    el.dataset.lit = "";
    el.scrollIntoView({ block: "nearest" });
    const box = el.getBoundingClientRect();
    high = box.top > innerHeight * 0.55;
    return () => delete el.dataset.lit;
  });
  const end = () => (panels.tour = 0);
  function keys(e: KeyboardEvent) {
    if (document.querySelector("dialog[open]") || (e.target instanceof HTMLInputElement && e.key !== "Escape")) return;
    if (e.key === "Escape") end();
    else if (e.key === "ArrowRight" && at < stops.length - 1) panels.tour++;
    else if (e.key === "ArrowLeft" && at > 0) panels.tour--;
    else return;
    e.preventDefault();
    e.stopPropagation();
  }
</script>

<svelte:window onkeydowncapture={keys} />

<div
  class="tour px-4 py-3.5 border border-ink gap-2.5 fixed z-40 left-[50%] bottom-14 w-[min(520px,calc(100vw_-_24px))] -translate-x-1/2 grid bg-panel [box-shadow:0_6px_24px_rgb(0_0_0_/_0.18)] outline-0!"
  class:high
  role="dialog"
  aria-label={`Where things are, ${at + 1} of ${stops.length}: ${stop[1]}`}
  tabindex="-1"
  bind:this={card}
  {@attach back}
>
  <p aria-live="polite"><b>{stop[1]}.</b> {stop[2]}</p>
  <span class="acts gap-2 flex flex-wrap items-center">
    <span class="mono mr-auto text-soft">{at + 1} / {stops.length}</span>
    <Button disabled={!at} onclick={() => panels.tour--}>‹ Before</Button>
    {#if at < stops.length - 1}
      <Button class="main" onclick={() => panels.tour++}>Next ›</Button>
      <Button onclick={end}>Enough</Button>
    {:else}
      <Button class="main" onclick={end}>Begin</Button>
    {/if}
  </span>
</div>

<style>
  .high {
    bottom: auto;
    top: 110px;
  }
</style>
