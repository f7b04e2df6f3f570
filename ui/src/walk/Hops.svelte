<script lang="ts">
  import { count, word } from "../shell/plural";
  import type { Walk } from "../api/client";
  import Frame from "./Frame.svelte";
  import { wears } from "./wire";

  let { walk, hues, open }: { walk: Walk; hues: Map<number, string>; open: boolean } = $props();

  const spaced = (port: string) => port.replace(".", " ");
  // Ports of one device that let the frame out alike are told as one.
  const out = (h: Walk["hops"][number]) => {
    const by = new Map<string, { wire: number | null; ends: string[]; on: { port: string; to: string[] }[] }>();
    for (const e of h.out) {
      const k = String(e.wire);
      const x = by.get(k) ?? { wire: e.wire, ends: [], on: [] };
      if (e.to.length) x.on.push({ port: e.port, to: e.to });
      else x.ends.push(e.port.slice(e.port.indexOf(".") + 1));
      by.set(k, x);
    }
    return [...by.values()];
  };
  const drops = (port: string) => walk.drops.filter((d) => d.port === port);
</script>

<details {open}>
  <summary class="py-1 cursor-pointer font-[650]"
    >Every copy of it: {count(walk.hops.length, "device")}
    {word(walk.hops.length, "takes", "take")} it on, it comes out of {count(walk.arrivals.length, "port")}, and {walk.drops.length
      ? `is dropped at ${count(walk.drops.length, "port")}`
      : "is dropped nowhere"}</summary
  >
  {#each walk.drops.filter((d) => !walk.hops.length) as d (d.port)}
    <p class="drop text-red font-[650]" data-drop={d.port}>
      <Frame wire={d.wire} {hues} /> dropped at once at {spaced(d.port)}: {d.reason}.
    </p>
  {/each}
  <ol class="mt-1.5 mb-3 gap-2 grid">
    {#each walk.hops as h, i (i)}
      <li class="py-0.5 pl-3.5 border-l-2 border-hair" data-hop={h.device}>
        <div class="head gap-2 flex items-center"><Frame wire={h.wire} vlan={h.vlan} {hues} /> <b>{spaced(h.in)}</b></div>
        <p class="told">{h.text}.</p>
        {#each out(h) as o (String(o.wire))}
          <div class="out ml-5.5 gap-2 flex items-baseline text-[13px]">
            <span
              class="turn"
              data-tip={o.wire === h.wire
                ? "as it came"
                : o.wire === null
                  ? "the bracket closes"
                  : h.wire === null
                    ? "a bracket opens"
                    : "another tag"}
            >
              <Frame wire={o.wire} vlan={h.vlan} {hues} />
            </span>
            <span>
              {#each o.on as e, k (e.port)}{k ? "; " : ""}by <span class="mono">{e.port.slice(e.port.indexOf(".") + 1)}</span> to {e.to
                  .map(spaced)
                  .join(", ")}{#each e.to.flatMap(drops) as d (d.port)}
                  <span class="drop text-red font-[650]" data-drop={d.port}>dropped there: {d.reason}</span>{/each}{/each}{o.on.length &&
              o.ends.length
                ? "; "
                : ""}{#if o.ends.length}out of <span class="mono">{o.ends.join(", ")}</span>{/if}
            </span>
          </div>
        {/each}
      </li>
    {/each}
  </ol>
  <section class="gap-y-1 gap-x-2 flex flex-wrap">
    <h2 class="font-bold w-full">It comes out at</h2>
    {#each walk.arrivals as a (a.port + a.wire)}
      <span class="px-2 py-px border border-hair bg-panel" data-arrival={a.port}
        >{spaced(a.port)} <span class="mono text-soft text-[12px]">{wears(a.wire)}</span></span
      >
    {:else}
      <p>Nowhere.</p>
    {/each}
  </section>
</details>

<style>
  .told::first-letter {
    text-transform: uppercase;
  }
</style>
