<script lang="ts">
  import type { Finding } from "../api/client";
  import { selection } from "../state/selection.svelte";
  import type { Layout } from "./fold";

  let { plan, marks, left, room }: { plan: Layout; marks: Map<string, Finding["severity"]>; left: number; room: number } = $props();

  const bad = (g: Layout["groups"][number]) => g.columns.some((c) => c.ports.some((p) => marks.get(p) === "breaks"));
  const go = (name: string) => {
    selection.goToDevice(name);
    document.getElementById("board")?.focus({ preventScroll: true });
  };
</script>

<nav
  class="px-3 py-0.5 border-b border-hair gap-x-0.5 overflow-auto flex flex-wrap bg-paper max-h-13.5 flex-none"
  aria-label="Devices on the board"
>
  {#each plan.groups as g (g.device.name)}
    <button
      class="px-1.5 border-t-0 border-r-0 border-b-2 border-l-0 border-transparent min-h-6 text-[12px] text-soft bg-transparent rounded-none"
      class:seen={g.x + g.width > left && g.x < left + room}
      class:here={g.device.name === selection.device}
      class:bad={bad(g)}
      onclick={() => go(g.device.name)}>{bad(g) ? "!" : ""}{g.device.name}</button
    >
  {/each}
</nav>

<style>
  .seen {
    color: var(--ink);
    border-color: var(--hair);
  }
  .here {
    border-color: var(--plum);
    font-weight: 650;
  }
  .bad {
    color: var(--red);
  }
</style>
