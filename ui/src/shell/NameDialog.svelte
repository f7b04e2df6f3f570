<script lang="ts">
  import { Button, Input, Label, Modal } from "flowbite-svelte";
  import { office } from "../state/office.svelte";

  let name = $state("");
  let problem = $state("");

  $effect(() => {
    if (office.askName) setTimeout(() => document.getElementById("name")?.focus(), 60);
  });

  async function say(e: Event) {
    e.preventDefault();
    try {
      await office.sayName(name);
      setTimeout(() => document.getElementById("board")?.focus(), 60);
    } catch (err) {
      problem = err instanceof Error ? err.message : String(err);
    }
  }
</script>

<Modal
  bind:open={office.askName}
  size="xs"
  title="Who are you?"
  outsideclose={false}
  class="rounded-sm bg-[var(--panel)] dark:bg-[var(--panel)]"
  autoclose={false}
>
  <form onsubmit={say} class="flex flex-col gap-3">
    <p class="text-[var(--soft)]">Your name stands beside each edit that you make. This browser remembers it.</p>
    <Label for="name">Name</Label>
    <Input id="name" bind:value={name} maxlength={60} autocomplete="name" aria-describedby="name-problem" />
    <p id="name-problem" role="alert" class="min-h-5 text-[var(--red)]">{problem}</p>
    <Button type="submit" disabled={!name.trim()} class="main">Go to the board</Button>
  </form>
</Modal>
