<!-- The tooltip of [Tip], by itself: it comes with the first one that is shown. -->
<script lang="ts">
  import { Tooltip } from "flowbite-svelte";
  import { onMount } from "svelte";

  const { text, box }: { text: string; box: string } = $props();
  let open = $state(false); // what is open from the start is not shown
  onMount(() => {
    open = true;
  });
</script>

<span class="fixed invisible pointer-events-none" id="tip-at" style={box} aria-hidden="true"></span>
<Tooltip
  id="tip"
  bind:isOpen={open}
  arrow={false}
  offset={4}
  triggeredBy="#tip-at"
  class="pointer-events-none max-w-sm rounded-sm bg-ink px-2 py-1 text-sm font-normal whitespace-pre-line text-paper dark:bg-ink dark:text-paper"
  >{text}</Tooltip
>
