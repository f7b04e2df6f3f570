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

<nav aria-label="Devices on the board">
  {#each plan.groups as g (g.device.name)}
    <button
      class:seen={g.x + g.width > left && g.x < left + room}
      class:here={g.device.name === selection.device}
      class:bad={bad(g)}
      onclick={() => go(g.device.name)}>{bad(g) ? "!" : ""}{g.device.name}</button
    >
  {/each}
</nav>

<style>
  nav {
    display: flex;
    flex-wrap: wrap;
    gap: 0 2px;
    padding: 2px 12px;
    border-bottom: 1px solid var(--hair);
    background: var(--paper);
    max-height: 54px;
    overflow: auto;
    flex: none;
  }
  button {
    padding: 0 6px;
    min-height: 24px;
    font-size: 12px;
    color: var(--soft);
    border: 0;
    background: none;
    border-radius: 0;
    border-bottom: 2px solid transparent;
  }
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
