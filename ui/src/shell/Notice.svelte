<script lang="ts">
  import { Toast } from "flowbite-svelte";
  import { place } from "../state/place.svelte";
  import { office } from "../state/office.svelte";

  // What was said goes by itself; a problem stays until it is over or closed.
  $effect(() => {
    const n = office.notice;
    if (n?.kind !== "said") return;
    const t = setTimeout(() => {
      if (office.notice === n) office.notice = null;
    }, 4000);
    return () => clearTimeout(t);
  });
</script>

{#if office.notice && (office.view || place.now.office === 0)}
  <div class="notice fixed right-3.5 bottom-72.5 z-40 whitespace-pre-line" role={office.notice.kind === "problem" ? "alert" : "status"}>
    {#key office.notice}
      <Toast
        dismissable
        class={`max-w-xl rounded-sm border shadow-lg ${office.notice.kind === "problem" ? "border-red" : "border-hair"} bg-panel text-ink dark:bg-panel dark:text-ink`}
        onclose={() => (office.notice = null)}
      >
        <span id="notice">{office.notice.text}</span>
      </Toast>
    {/key}
  </div>
{/if}
