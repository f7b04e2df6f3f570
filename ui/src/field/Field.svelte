<script lang="ts">
  import { may, only } from "../state/may.svelte";
  import Only from "../shell/Only.svelte";
  import { Button, Checkbox, Select, Table } from "flowbite-svelte";
  import { api, type DeviceReading } from "../api/client";
  import { word } from "../shell/plural";
  import { found } from "../state/found.svelte";
  import { office } from "../state/office.svelte";
  import { pending } from "../state/pending.svelte";
  import { place } from "../state/place.svelte";
  import { seen, since } from "../state/seen.svelte";
  import Cables from "./Cables.svelte";
  import Phones from "./Phones.svelte";
  import Cards from "./Cards.svelte";
  import Credentials from "./Credentials.svelte";
  import Discover from "./Discover.svelte";

  $effect(() => seen.follow());
  const view = $derived(office.view!);
  const now = $derived(seen.now);
  const run = $derived(now?.running);
  let picked = $state.raw(new Set<string>());
  const pick = (d: string) => {
    const next = new Set(picked);
    if (!next.delete(d)) next.add(d);
    picked = next;
  };
  const speaks = $derived((now?.devices ?? []).filter((d) => d.speaks));
  const differs = (d: string) => [...found.ports.keys()].filter((p) => p.startsWith(`${d}.`)).length;
  const way = (d: string) => view.devices.find((x) => x.name === d)?.speaks?.join("; ") ?? "";

  async function ask(what: Promise<unknown>) {
    try {
      await what;
      await seen.read();
    } catch (e) {
      office.tell(e);
    }
  }
  const routers = $derived(Object.keys(found.routing));
  const says = (d: DeviceReading) => {
    if (d.why) return d.why;
    if (!d.at) return d.speaks ? "never read" : "nobody said how it is spoken to";
    if (d.told?.not_told.includes("vlans") && !d.told.routing) return "tells nothing of VLANs";
    const n = differs(d.device);
    const m = found.routing[d.device]?.length ?? 0;
    const what = [n ? `${n} ${word(n, "port", "ports")}` : "", m ? `${m} of its addresses, routes and rules` : ""].filter(Boolean);
    return what.length ? `${what.join(" and ")} otherwise than planned` : "as planned";
  };
  const every = [0, 5, 15, 60, 360, 1440];
  const minutes = (n: number) =>
    n === 0 ? "never" : n < 60 ? `every ${n} minutes` : n === 60 ? "every hour" : n === 1440 ? "every day" : `every ${n / 60} hours`;
</script>

<div class="devices-now mx-auto px-4 pt-3 pb-10 max-w-320 w-full">
  <header>
    <h1>Field</h1>
    <p class="lead">What the devices say themselves: how they are set, what is plugged in, whom they hear.</p>
  </header>
  <div class="bar mb-2.5 gap-y-2 gap-x-3 flex flex-wrap items-center" role="toolbar" aria-label="Read devices">
    <Button class="main" disabled={!!run || !speaks.length} onclick={() => ask(api.readDevices(view.id, [...picked]))} {...only(may.carry)}
      >{picked.size ? `Read ${picked.size} picked` : `Read all ${speaks.length || ""}`}</Button
    >
    {#if run}
      <progress class="accent-plum w-40" max={run.of} value={run.done} aria-label="How far the reading is"></progress>
      <span role="status">{run.done} of {run.of}, asked for by {run.author}</span>
      <Button onclick={() => ask(api.readStop(view.id))} {...only(may.carry)}>Stop</Button>
    {/if}
    <label class="every ml-auto"
      >By themselves <Select
        placeholder=""
        value={now?.every ?? 0}
        onchange={(e) => ask(api.readEvery(view.id, Number(e.currentTarget.value)))}
      >
        {#each every.includes(now?.every ?? 0) ? every : [...every, now!.every] as n (n)}<option value={n}>{minutes(n)}</option>{/each}
      </Select></label
    >
  </div>
  {#if now && !speaks.length}
    <p class="my-2.5 px-3 py-2 border border-hair">
      No device says how it is spoken to. Say so on the line: <code class="mono"
        >{view.devices[0]?.name ?? "rack"} speaks snmp with switches</code
      >, where
      <code class="mono">switches</code> are credentials that you keep below.
    </p>
  {/if}
  <div class="overflow-x-auto">
    <Table class="listed">
      <thead
        ><tr
          ><th class="tick"></th><th>Device</th><th class="opt">Speaks</th><th class="opt">Last read</th><th>Is</th><th class="opt">Sees</th
          ><th></th></tr
        ></thead
      >
      <tbody>
        {#each now?.devices ?? [] as d (d.device)}
          {@const n = differs(d.device) + (found.routing[d.device]?.length ?? 0)}
          <tr class:bad={d.why} class:drift={!d.why && n > 0}>
            <td class="tick"
              ><Checkbox
                checked={picked.has(d.device)}
                disabled={!d.speaks}
                onchange={() => pick(d.device)}
                aria-label={`Pick ${d.device}`}
              /></td
            >
            <th scope="row"><a href={place.href("devices", { device: d.device })}>{d.device}</a></th>
            <td class="mono opt text-[13px] whitespace-nowrap"
              >{way(d.device) || (d.speaks ? (d.told?.source ?? "").split(" ")[0] || "snmp" : "–")}</td
            >
            <td class="opt text-[13px] whitespace-nowrap">{d.at ? since(d.at) : "–"}</td>
            <td>
              {#if n && !d.why}<a class="underline underline-offset-2" href={place.href("sheets", { device: d.device })}>{says(d)}</a
                >{:else}{says(d)}{/if}
              {#if d.told?.not_told.length}<span class="text-soft text-[13px] block">not told: {d.told.not_told.join(", ")}</span>{/if}
              {#each [...(d.told?.trouble ?? []), ...(d.told?.routing?.unsaid ?? [])] as t (t)}<span class="text-soft text-[13px] block"
                  >{t}</span
                >{/each}
            </td>
            <td class="opt text-[13px] whitespace-nowrap"
              >{#if d.told}{d.told.ports.filter((p) => p.link === "up").length} of {d.told.ports.length} up, {d.told.learnt.length}
                {word(d.told.learnt.length, "card", "cards")}, {d.told.neighbours.length}
                {word(d.told.neighbours.length, "neighbour", "neighbours")}{/if}</td
            >
            <td
              ><Button
                disabled={!!run || !d.speaks}
                onclick={() => ask(api.readDevices(view.id, [d.device]))}
                aria-label={`Read ${d.device}`}
                {...only(may.carry)}>Read</Button
              ></td
            >
          </tr>
        {/each}
      </tbody>
    </Table>
  </div>
  {#if found.ports.size || routers.length}
    <p class="next my-2.5">
      {#if found.ports.size}{found.ports.size}
        {word(found.ports.size, "port is", "ports are")} set otherwise than planned.{/if}
      {#if routers.length}{routers.join(", ")}
        {word(routers.length, "routes", "route")} otherwise than planned:
        <a class="underline underline-offset-2" href={place.href("talk")}>Talk</a> says in what.{/if}
      <a class="underline underline-offset-2" href={place.href("orders")}>Make a work order</a> that leads to the plan, or show both on the
      <a class="underline underline-offset-2" href={place.href("board")}>board</a>.
    </p>
  {/if}
  {#if now}
    {#if now.findings.length}
      <section class="mt-4.5">
        <h2>Seen otherwise than planned</h2>
        {#each now.findings as f (f.id)}
          <article class={["py-1 pr-0 pl-2 border-l-3 border-hair grid grid-cols-[62px_1fr]", f.severity]} data-code={f.code}>
            <span class="severity text-[12px] text-soft">{f.severity}</span>
            <p>
              {f.text}
              {#each f.mends as m (m.join("\n"))}<Button
                  class="mono"
                  data-tip={m.join("\n")}
                  onclick={() => pending.propose(m)}
                  {...only(may.plan)}>Take what is seen: {m.at(-1)}</Button
                >{/each}
            </p>
          </article>
        {/each}
      </section>
    {/if}
    <div class="two gap-x-8 grid grid-cols-[minmax(0,1fr)_minmax(0,1fr)] items-start">
      <div>
        <Cables cables={now.cables} />
        <Phones phones={now.phones} />
        <Only why={may.carry}><Cards cards={now.cards} /></Only>
      </div>
      <div>
        <section class="mt-4.5">
          <h2>Drift</h2>
          {#each now.drift as d (d.at + d.said)}
            <p class="text-[13px]"><span class="text-soft text-[13px] inline">{since(d.at)}</span> {d.said}</p>
          {:else}
            <p class="text-soft text-[13px] block">Nothing was found otherwise than before.</p>
          {/each}
        </section>
        <Only why={may.keep}><Credentials {now} {ask} /></Only>
        <Only why={may.carry}><Discover {now} /></Only>
      </div>
    </div>
  {/if}
</div>

<style>
  .every :global(select) {
    font-size: 13px;
    padding: 3px 30px 3px 8px;
    border: 1px solid var(--hair);
    background-color: var(--panel);
    color: var(--ink);
  }
  tbody .tick {
    border-left: 3px solid transparent;
    padding-left: 8px;
  }
  .bad .tick {
    border-left-color: var(--red);
  }
  .drift .tick {
    border-left-color: var(--amber);
  }
  .devices-now :global(h2) {
    font-weight: 700;
    border-bottom: 1px solid var(--ink);
    margin-bottom: 4px;
  }
  article.breaks {
    border-color: var(--red);
  }
  article.risk {
    border-color: var(--amber);
  }
  .tick {
    width: 30px;
    padding-right: 4px;
  }
  @media (max-width: 800px) {
    .opt {
      display: none;
    }
    .two {
      grid-template-columns: minmax(0, 1fr);
    }
  }
</style>
