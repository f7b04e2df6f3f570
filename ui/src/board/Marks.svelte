<script lang="ts">
  import { people } from "../state/people.svelte";
  import { rows } from "../state/rows.svelte";
  import { selection } from "../state/selection.svelte";
  import type { Layout } from "./fold";

  let { plan, tall }: { plan: Layout; tall: number } = $props();

  // The selected block, the end of a cable that waits for its other, and where
  // others are.
  const picked = $derived.by(() => {
    const from = plan.columns[selection.left];
    const to = plan.columns[selection.right];
    return from && to && !selection.cable ? { x: from.x, width: to.x + to.width - from.x } : null;
  });
  const end = $derived(plan.columns.find((c) => selection.end && c.ports.includes(selection.end)));
  const others = $derived(
    people.list.flatMap((who) => {
      const column = plan.columns.find((c) => c.ports.includes(who.port));
      const row = rows.list.findIndex((v) => v.vid === who.vid);
      return column && row >= 0 ? [{ who, x: column.x, width: column.width, y: row * tall }] : [];
    }),
  );
  const initials = (name: string) =>
    name
      .split(/\s+/)
      .map((w) => w[0] ?? "")
      .join("")
      .slice(0, 2);
</script>

{#if picked}
  <div class="pick" role="presentation" style:left={`calc(var(--names) + ${picked.x}px)`} style:width={`${picked.width}px`}>
    <i style:top={`${selection.top * tall}px`} style:height={`${(selection.bottom - selection.top + 1) * tall}px`}></i>
  </div>
{/if}
{#if end}
  <div class="end" role="presentation" style:left={`calc(var(--names) + ${end.x}px)`} style:width={`${end.width}px`}></div>
{/if}
{#each others as o (o.who.tab)}
  <div
    class="other"
    role="presentation"
    style:left={`calc(var(--names) + ${o.x}px)`}
    style:width={`${o.width}px`}
    style:top={`${o.y}px`}
    style:height={`${tall}px`}
    data-who={o.who.name}
    data-tip={`${o.who.name} is here`}
  >
    <span>{initials(o.who.name)}</span>
  </div>
{/each}

<style>
  .pick,
  .end,
  .other {
    position: absolute;
    pointer-events: none;
  }
  .pick {
    top: 0;
    bottom: 0;
    outline: 2px solid var(--plum);
    outline-offset: -1px;
  }
  :global(#board:not(:focus)) .pick {
    outline: 1px dashed var(--plum);
  }
  .pick i {
    position: absolute;
    left: 0;
    right: 0;
    background: color-mix(in oklab, var(--plum) 16%, transparent);
  }
  .end {
    top: 0;
    bottom: 0;
    border: 2px dotted var(--ink);
    border-top: 0;
  }
  .other {
    border: 1.5px solid var(--soft);
    border-radius: 2px;
  }
  .other span {
    position: absolute;
    right: -1px;
    top: -8px;
    padding: 0 3px;
    font-size: 9px;
    line-height: 12px;
    background: var(--soft);
    color: var(--panel);
    border-radius: 2px;
  }
</style>
