<script lang="ts">
  import type { Vlan } from "../api/client";
  import { found } from "../state/found.svelte";
  import { flights } from "../state/flights.svelte";
  import { office } from "../state/office.svelte";
  import { pending } from "../state/pending.svelte";
  import { selection } from "../state/selection.svelte";
  import { cells, letter, type Chunk } from "./cells";

  let { chunk, vlan, row, lit, cut }: { chunk: Chunk; vlan: Vlan; row: number; lit: Set<string> | null; cut: Set<string> | null } =
    $props();

  const width = $derived.by(() => {
    const [first, last] = [chunk.columns[0], chunk.columns.at(-1)];
    return first && last ? last.x + last.width - first.x : 0;
  });
  // Each is a text, so that the cells are made anew only where one differs.
  const picked = $derived.by(() => {
    const from = Math.max(selection.left, chunk.from);
    const to = Math.min(selection.right, chunk.from + chunk.columns.length - 1);
    return row >= selection.top && row <= selection.bottom && from <= to ? `${from}-${to}` : "";
  });
  // While nobody knows whether it was kept, it is not shown as if it were.
  const flying = $derived(office.keeping === "lost" ? "" : flights.of(vlan.vid, chunk.columns));
  const turning = $derived(
    pending.preview
      ? chunk.columns
          .map((c) => {
            const next = c.ports.map((r) => pending.port(r)).find((x) => x);
            return next ? letter(next, vlan.vid) || "-" : " ";
          })
          .join("")
      : "",
  );
  const was = $derived(found.both ? chunk.columns.map((c) => found.letter(c, vlan.vid)).join("") : "");
  const html = $derived.by(() => {
    const [from, to] = picked ? (picked.split("-").map(Number) as [number, number]) : [1, 0];
    const at = (text: string, i: number) => (text[i] === "-" ? "" : text[i] === " " || !text ? undefined : (text[i] as "U" | "T"));
    return cells(chunk.columns, vlan, {
      row,
      from: chunk.from,
      selected: (i) => i >= from && i <= to,
      flight: (c) => at(flying, chunk.columns.indexOf(c)),
      then: (c) => at(turning, chunk.columns.indexOf(c)),
      found: (c) => at(was, chunk.columns.indexOf(c)),
      reached: (c) => !!lit?.has(c.ports[0]!),
      cut: (c) => !!cut?.has(c.ports[0]!),
    });
  });
</script>

<span class="chunk" role="presentation" style:left={`calc(var(--names) + ${chunk.columns[0]?.x ?? 0}px)`} style:width={`${width}px`}>
  {@html html}<!-- made by cells(), which escapes every name -->
</span>

<style>
  /* What happens in a chunk is nobody else's concern: the rest is not laid out again. */
  .chunk {
    position: absolute;
    top: 0;
    height: var(--tall);
    display: flex;
    contain: layout size style;
  }
</style>
