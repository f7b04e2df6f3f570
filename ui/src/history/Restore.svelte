<!-- Makes the office as it was at a revision; first it shows what that would change. -->
<script lang="ts">
  import { Button, Modal, Spinner } from "flowbite-svelte";
  import { api, type Comparison } from "../api/client";
  import Differs from "../offices/Differs.svelte";
  import { may, only } from "../state/may.svelte";
  import { office } from "../state/office.svelte";

  const { revision, says }: { revision: number; says: string } = $props();
  let open = $state(false);
  let found = $state.raw<Comparison | null>(null);
  let problem = $state("");

  function ask() {
    open = true;
    found = null;
    problem = "";
    api.compare(office.view!.id, { to: revision }).then(
      (c) => (found = c),
      (e) => (problem = e instanceof Error ? e.message : String(e)),
    );
  }
</script>

<Button onclick={ask} aria-label={`${says}: revision ${revision}`} {...only(may.keep)}>{says}</Button>
{#if open}
  <Modal
    open
    onclose={() => (open = false)}
    size="lg"
    title={`As it was at revision ${revision}: what becomes otherwise`}
    class="rounded-sm bg-panel dark:bg-panel"
  >
    {#if problem}<p class="wrong" role="alert">{problem}</p>{:else if found}<Differs {found} />{:else}<Spinner size="5" /> Comparing…{/if}
    <span class="flex gap-2">
      <Button class="main" id="restore" disabled={!found?.lines.length} onclick={() => ((open = false), void office.restore(revision))}
        >Make it so, as one edit</Button
      >
      <Button onclick={() => (open = false)}>Leave it as it is</Button>
    </span>
  </Modal>
{/if}
