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
  <summary
    >Every copy of it: {count(walk.hops.length, "device")}
    {word(walk.hops.length, "takes", "take")} it on, it comes out of {count(walk.arrivals.length, "port")}, and {walk.drops.length
      ? `is dropped at ${count(walk.drops.length, "port")}`
      : "is dropped nowhere"}</summary
  >
  {#each walk.drops.filter((d) => !walk.hops.length) as d (d.port)}
    <p class="drop" data-drop={d.port}><Frame wire={d.wire} {hues} /> dropped at once at {spaced(d.port)}: {d.reason}.</p>
  {/each}
  <ol>
    {#each walk.hops as h, i (i)}
      <li data-hop={h.device}>
        <div class="head"><Frame wire={h.wire} vlan={h.vlan} {hues} /> <b>{spaced(h.in)}</b></div>
        <p class="told">{h.text}.</p>
        {#each out(h) as o (String(o.wire))}
          <div class="out">
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
                  <span class="drop" data-drop={d.port}>dropped there: {d.reason}</span>{/each}{/each}{o.on.length && o.ends.length
                ? "; "
                : ""}{#if o.ends.length}out of <span class="mono">{o.ends.join(", ")}</span>{/if}
            </span>
          </div>
        {/each}
      </li>
    {/each}
  </ol>
  <section class="arrivals">
    <h2>It comes out at</h2>
    {#each walk.arrivals as a (a.port + a.wire)}
      <span class="arrival" data-arrival={a.port}>{spaced(a.port)} <span class="mono">{wears(a.wire)}</span></span>
    {:else}
      <p>Nowhere.</p>
    {/each}
  </section>
</details>

<style>
  summary {
    cursor: pointer;
    font-weight: 650;
    padding: 4px 0;
  }
  ol {
    display: grid;
    gap: 8px;
    margin: 6px 0 12px;
  }
  li {
    border-left: 2px solid var(--hair);
    padding: 2px 0 2px 14px;
  }
  .told::first-letter {
    text-transform: uppercase;
  }
  .head {
    display: flex;
    gap: 8px;
    align-items: center;
  }
  .out {
    display: flex;
    gap: 8px;
    align-items: baseline;
    margin-left: 22px;
    font-size: 13px;
  }
  .drop {
    color: var(--red);
    font-weight: 650;
  }
  h2 {
    font-weight: 700;
    width: 100%;
  }
  .arrivals {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 8px;
  }
  .arrival {
    border: 1px solid var(--hair);
    background: var(--panel);
    padding: 1px 8px;
  }
  .arrival .mono {
    color: var(--soft);
    font-size: 12px;
  }
</style>
