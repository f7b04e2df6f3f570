<script lang="ts">
  import { Button, Input, Label, Modal } from "flowbite-svelte";
  import { panels } from "../state/panels.svelte";
  import { place } from "../state/place.svelte";
  import { office } from "../state/office.svelte";

  let name = $state("");
  let problem = $state("");

  $effect(() => void setTimeout(() => document.getElementById("name")?.focus(), 60));

  /** The board gets the keys once the dialog is gone: closing, that gives them back to nobody. Who has gone elsewhere meanwhile stays there. */
  function toBoard(tries = 40) {
    setTimeout(() => {
      const board = document.getElementById("board");
      const idle = document.activeElement === document.body || document.activeElement?.closest("dialog");
      if (idle && !document.querySelector("dialog[open]")) board?.focus();
      if (idle && tries) toBoard(tries - 1);
    }, 60);
  }
  async function say(e: Event) {
    e.preventDefault();
    try {
      await office.sayName(name);
      if ((e as SubmitEvent).submitter?.id === "show-around") {
        place.open("board");
        panels.tour = 1;
        return;
      }
      toBoard();
    } catch (err) {
      problem = err instanceof Error ? err.message : String(err);
    }
  }
</script>

<Modal
  open
  onclose={() => (office.askName = false)}
  size="xs"
  title="Who are you?"
  outsideclose={false}
  class="rounded-sm bg-panel dark:bg-panel"
  autoclose={false}
>
  <form onsubmit={say} class="flex flex-col gap-3">
    <p class="text-soft">Your name stands beside each edit that you make. This browser remembers it.</p>
    <Label for="name">Name</Label>
    <Input id="name" bind:value={name} maxlength={60} autocomplete="name" aria-describedby="name-problem" />
    <p id="name-problem" role="alert" class="min-h-5 text-red">{problem}</p>
    <Button type="submit" disabled={!name.trim()} class="main">Go to the board</Button>
    <Button type="submit" id="show-around" disabled={!name.trim()}>… and show me around: six sentences</Button>
  </form>
</Modal>
