<script lang="ts">
  import First from "../shell/First.svelte";
  import { may } from "../state/may.svelte";
  import Only from "../shell/Only.svelte";
  import { Button, Checkbox, Table } from "flowbite-svelte";
  import { deviceFacts } from "../api/words";
  import { latest } from "../api/latest";
  import { api, type SheetAnswer } from "../api/client";
  import Front from "../front/Front.svelte";
  import { asks } from "../devices/asks";
  import { jacks } from "../front/front";
  import { hues } from "../state/hues.svelte";
  import { found } from "../state/found.svelte";
  import { office } from "../state/office.svelte";
  import { place } from "../state/place.svelte";
  import Differences from "./Differences.svelte";
  import FoundForm from "./FoundForm.svelte";
  import Steps from "./Steps.svelte";
  import Tables from "./Tables.svelte";

  const view = $derived(office.view!);
  const ordered = $derived(view.order.flatMap((n) => view.devices.find((d) => d.name === n) ?? []));
  const device = $derived(view.devices.find((d) => d.name === place.now.query.get("device")) ?? ordered[0]);
  let answer = $state.raw<SheetAnswer | null>(null);
  let only = $state(false);
  const newest = latest();

  async function read() {
    if (!device) return;
    try {
      answer = await newest(api.sheet(view.id, device.name));
    } catch (e) {
      office.tell(e);
    }
  }
  $effect(() => {
    void [view.revision, device?.name, found.heard];
    void read();
  });
  /** Ports that something hangs on: a bundle's cables stand with the bundle. */
  const hangs = $derived((device?.ports ?? []).filter((p) => p.cabled?.length || p.plugs?.length));
  const today = new Date().toLocaleDateString(undefined, { dateStyle: "long" });
  const when = (at: string) => new Date(at).toLocaleString(undefined, { dateStyle: "medium", timeStyle: "short" });
  const wording = $derived(asks(device?.wording));
</script>

<div class="sheets">
  <nav class="devices" aria-label="Devices">
    {#each ordered as d (d.name)}
      <a href={place.href("sheets", { device: d.name })} aria-current={d.name === device?.name ? "true" : undefined}>{d.name}</a>
    {/each}
  </nav>
  {#if device}
    <section>
      <header class="head">
        <h1>{device.name}</h1>
        <p class="lead">{device.kind}{wording ? `, asks ${wording}` : ""}{device.manage ? `, managed in ${device.manage}` : ""}</p>
        {#if device.facts}<p class="lead">
            {deviceFacts.flatMap((w) => (device.facts![w] ? `${w}: ${device.facts![w]}` : [])).join(" · ")}
          </p>{/if}
        <p class="print">{view.title} · revision {answer?.revision ?? view.revision} · {today}</p>
        <a class="noprint csv" href={`/api/offices/${view.id}/grid?device=${encodeURIComponent(device.name)}`} download>grid as CSV</a>
        <Button class="noprint" onclick={() => print()}>Print for the rack door</Button>
      </header>
      <Front jacks={jacks(device)} hues={hues.of} label={`The front of ${device.name}`} />
      {#if answer?.sheet && answer.sheet.device === device.name}
        {#each answer.sheet.unsayable as u (u.port + u.shape)}
          <p class="unsayable">
            <b>{u.port.replace(".", " ")}</b> cannot be <span class="mono">{u.shape}</span>: {u.why}. It stands below as
            <span class="mono">{u.nearest}</span>.
          </p>
        {/each}
        {#if answer.found}
          <p class="noprint only">
            <label><Checkbox bind:checked={only} /> only what differs</label> found {when(answer.found.at)} by {answer.found.author}, {answer
              .found.how}{answer.before.length ? `; ${answer.before.length} times before` : ""}
          </p>
        {/if}
        <Tables planned={answer.sheet.tables} found={answer.found?.tables ?? null} {only} />
        <div class="below">
          {#key device.name}<Only why={may.carry}
              ><Steps
                device={device.name}
                steps={answer.found && !answer.found.problem ? answer.found.steps : answer.sheet.steps}
                from={answer.found && !answer.found.problem ? "what was found" : "the factory state"}
                caution={(answer.found && !answer.found.problem ? answer.found.caution : answer.sheet.caution) ?? ""}
                ticks={answer.ticks}
                onchange={read}
              /></Only
            >{/key}
          <div class="noprint">
            {#if answer.found}<Differences {device} found={answer.found} />{/if}
            {#key device.name}<Only why={may.carry}><FoundForm {device} onkept={read} last={answer.found ?? null} /></Only>{/key}
          </div>
        </div>
        {#if hangs.length}
          <section class="hangs">
            <h2>What is in it</h2>
            <Table>
              <thead><tr><th scope="col">Port</th><th scope="col">Cable to</th><th scope="col">Plugged in</th></tr></thead>
              <tbody>
                {#each hangs as p (p.name)}<tr
                    ><td class="mono">{p.name}</td><td>{(p.cabled ?? []).map((c) => c.replace(".", " ")).join(", ")}</td><td
                      >{(p.plugs ?? []).map((g) => `${g.name} (${g.wants}${g.tagged ? " tagged" : ""})`).join(", ")}</td
                    ></tr
                  >{/each}
              </tbody>
            </Table>
          </section>
        {/if}
      {:else if answer?.why}
        <p class="lead why">{answer.why} <a href={place.href("devices", { device: device.name })}>Go to the device</a></p>
      {/if}
    </section>
  {:else}
    <section>
      <h1>Sheets</h1>
      <First what="A sheet is what to enter on one device, in the words of its own pages, and read back what was entered." />
    </section>
  {/if}
</div>

<style>
  .sheets {
    display: grid;
    grid-template-columns: 150px minmax(0, 1fr);
    min-height: 100%;
  }
  .devices {
    border-right: 1px solid var(--hair);
    background: var(--panel);
    padding: 12px 0;
  }
  .devices a {
    display: block;
    padding: 4px 14px;
    min-height: 28px;
  }
  .devices a[aria-current] {
    background: var(--plum-wash);
    font-weight: 650;
  }
  section {
    padding: 16px 28px 40px;
  }
  .head {
    display: flex;
    flex-wrap: wrap;
    gap: 2px 14px;
    align-items: baseline;
  }
  .head .lead {
    flex: 1;
    margin-bottom: 8px;
  }
  .print {
    display: none;
  }
  .csv {
    color: var(--soft);
    text-decoration: underline;
    font-size: 13px;
  }
  .unsayable {
    border-left: 3px solid var(--red);
    padding-left: 10px;
    margin-top: 8px;
    max-width: 90ch;
  }
  .only {
    margin-top: 10px;
    color: var(--soft);
  }
  .only label {
    color: var(--ink);
    margin-right: 12px;
  }
  .below {
    display: grid;
    grid-template-columns: repeat(auto-fit, minmax(360px, 1fr));
    gap: 28px;
    margin-top: 18px;
  }
  .hangs {
    padding: 0;
    margin-top: 18px;
    break-inside: avoid;
  }
  .hangs h2 {
    font-weight: 700;
  }
  .hangs :global(table) {
    border-collapse: collapse;
    font-size: 13px;
  }
  .hangs th {
    text-align: left;
    border-bottom: 1.5px solid var(--ink);
    padding-right: 18px;
  }
  .hangs td {
    border-bottom: 1px solid var(--hair);
    padding: 1px 18px 1px 0;
  }
  .why {
    margin-top: 14px;
  }
  .why a {
    text-decoration: underline;
  }
  @media print {
    .devices,
    .noprint {
      display: none;
    }
    .sheets,
    .below {
      display: block;
    }
    section {
      padding: 0;
    }
    .print {
      display: block;
      width: 100%;
      font-size: 11px;
    }
  }
</style>
