<!--
  What something under the pointer or with the focus says of itself beside its name: whatever has
  data-tip. One tooltip for the page, as there are thousands that could have one. A reader hears it
  as the description.
-->
<script lang="ts">
  import type { Component } from "svelte";

  const wait = 350; // ms that the pointer rests
  let Box = $state.raw<Component<{ text: string; box: string }>>();
  let at: HTMLElement | undefined; // whose it is
  let shown = $state.raw({ text: "", box: "" });
  let later: ReturnType<typeof setTimeout> | undefined;

  function hide() {
    clearTimeout(later);
    at?.removeAttribute("aria-describedby");
    at = undefined;
    if (shown.text) shown = { text: "", box: "" };
  }

  function over(e: Event, delay: number) {
    const next = e.target instanceof Element ? (e.target.closest<HTMLElement>("[data-tip]") ?? undefined) : undefined;
    if (next === at) return;
    hide();
    if (!next?.dataset.tip) return;
    at = next;
    later = setTimeout(async () => {
      Box ??= (await import("./TipBox.svelte")).default;
      if (at !== next || !next.isConnected) return;
      const r = next.getBoundingClientRect();
      if (!next.hasAttribute("aria-describedby")) next.setAttribute("aria-describedby", "tip");
      shown = { text: next.dataset.tip ?? "", box: `left:${r.left}px;top:${r.top}px;width:${r.width}px;height:${r.height}px` };
    }, delay);
  }
</script>

<svelte:document
  onpointerover={(e) => e.pointerType !== "touch" && over(e, wait)}
  onfocusin={(e) => e.target instanceof Element && e.target.matches(":focus-visible") && over(e, 0)}
  onfocusout={hide}
  onpointerdown={hide}
  onkeydown={(e) => e.key === "Escape" && hide()}
  onscrollcapture={hide}
/>

{#if Box && shown.text}
  {#key shown}<Box {...shown} />{/key}
{/if}
