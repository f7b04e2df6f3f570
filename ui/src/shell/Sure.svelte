<script lang="ts">
  import { Button, Modal } from "flowbite-svelte";

  /** A button that asks before it does what cannot be taken back. */
  let {
    question,
    says,
    label,
    onyes,
  }: {
    question: string;
    /** What stands on the button, and on the one that does it. */
    says: string;
    /** What it is called where its word alone does not say of what. */
    label: string;
    onyes: () => void;
  } = $props();

  let open = $state(false);
</script>

<Button aria-label={label} onclick={() => (open = true)}>{says}</Button>
{#if open}
  <Modal open onclose={() => (open = false)} size="xs" title={question} class="rounded-sm bg-panel dark:bg-panel">
    <span class="flex gap-2">
      <Button class="main" autofocus onclick={() => ((open = false), onyes())}>{says}</Button>
      <Button onclick={() => (open = false)}>Not now</Button>
    </span>
  </Modal>
{/if}
