<!-- A line by choosing: what can be typed beside it, out of lists; the line that comes of it stands below, and is the one that is done. -->
<script lang="ts">
  import type { Snippet } from "svelte";
  import { Button } from "flowbite-svelte";
  import { may, only } from "../state/may.svelte";
  import { back } from "../state/back";

  let {
    label,
    line,
    ready = true,
    open = $bindable(false),
    ondo,
    children,
  }: {
    /** What is chosen, for who does not see where the button stands: the shape of rack 1. */
    label: string;
    line: string;
    ready?: boolean;
    open?: boolean;
    /** Does it; true where it was taken. */
    ondo: () => Promise<boolean> | boolean;
    children: Snippet;
  } = $props();

  async function act() {
    if (ready && (await ondo())) open = false;
  }
  function keys(e: KeyboardEvent) {
    if (e.key === "Escape") {
      e.stopPropagation();
      open = false;
    } else if (e.key === "Enter" && !(e.target instanceof HTMLButtonElement)) {
      e.preventDefault();
      void act();
    }
  }
</script>

<Button type="button" aria-expanded={open} aria-label={`Choose ${label}`} onclick={() => (open = !open)} {...only(may.plan)}>choose…</Button
>
{#if open}
  <!-- svelte-ignore a11y_no_noninteractive_element_interactions -->
  <div
    class="p-2.5 border border-hair gap-1.5 col-span-full basis-full order-[1] grid bg-panel"
    role="group"
    aria-label={label}
    onkeydown={keys}
    {@attach back}
  >
    {@render children()}
    <p class="line mono text-[13px] wrap-anywhere" aria-live="polite">{line}</p>
    <span class="acts gap-2 flex">
      <Button type="button" class="main" disabled={!ready} onclick={act}>Take it</Button>
      <Button type="button" onclick={() => (open = false)}>Leave it</Button>
    </span>
  </div>
{/if}
