<script lang="ts">
  import { Button, Input } from "flowbite-svelte";
  import { api, type OfficeSummary } from "../api/client";
  import { back } from "../state/back";
  import { office } from "../state/office.svelte";

  let { o, onclose }: { o: OfficeSummary; onclose: () => void } = $props();
  let typed = $state("");
  let problem = $state("");

  async function remove() {
    try {
      await api.remove(o.id, typed);
      office.offices = await api.offices();
      onclose();
    } catch (e) {
      problem = e instanceof Error ? e.message : String(e);
    }
  }
</script>

<form
  class="pt-2 border-t border-hair gap-2 w-full flex flex-wrap items-center"
  {@attach back}
  onsubmit={(e) => (e.preventDefault(), void remove())}
>
  <label
    >It goes with its whole history, and cannot be taken back. Type its name to delete it: <Input
      class="field w-75!"
      id="delete-title"
      bind:value={typed}
      autocomplete="off"
      aria-describedby="delete-problem"
    /></label
  >
  <Button type="submit" class="main" disabled={typed !== o.title}>Delete</Button>
  <Button type="button" onclick={onclose}>Cancel</Button>
  <p class="wrong" id="delete-problem" role="alert">{problem}</p>
</form>
