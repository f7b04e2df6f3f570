<!-- What only some may do: for the others it is there and cannot be used, and says why. -->
<script lang="ts">
  import type { Snippet } from "svelte";

  const { why, children }: { why: string; children: Snippet } = $props();
</script>

<fieldset class="contents" disabled={!!why} data-tip={why || undefined}>{@render children()}</fieldset>
