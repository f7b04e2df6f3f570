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

<div class="sheets grid grid-cols-[150px_minmax(0,1fr)] min-h-full narrow:block print:block">
  <nav
    class="devices py-3 border-r border-hair bg-panel narrow:flex narrow:flex-wrap narrow:border-r-0 narrow:border-b narrow:px-1.5 narrow:py-1.5 print:hidden"
    aria-label="Devices"
  >
    {#each ordered as d (d.name)}
      <a
        class="px-3.5 narrow:px-2.5 py-1 block min-h-7 aria-[current]:bg-plum-wash aria-[current]:font-[650]"
        href={place.href("sheets", { device: d.name })}
        aria-current={d.name === device?.name ? "true" : undefined}>{d.name}</a
      >
    {/each}
  </nav>
  {#if device}
    <section class="px-7 narrow:px-4 pt-4 pb-10 print:p-0">
      <header class="head mb-2 gap-y-0.5 gap-x-3.5 flex flex-wrap items-baseline">
        <h1>{device.name}</h1>
        <p class="lead mb-2 flex-1">
          {device.kind}{wording ? `, asks ${wording}` : ""}{device.manage ? `, managed in ${device.manage}` : ""}
        </p>
        {#if device.facts}<p class="lead mb-2 flex-1">
            {deviceFacts.flatMap((w) => (device.facts![w] ? `${w}: ${device.facts![w]}` : [])).join(" · ")}
          </p>{/if}
        <p class="print hidden print:block print:w-full print:text-[11px]">
          {view.title} · revision {answer?.revision ?? view.revision} · {today}
        </p>
        <a
          class="noprint csv text-soft underline text-[13px]"
          href={`/api/offices/${view.id}/grid?device=${encodeURIComponent(device.name)}`}
          download>grid as CSV</a
        >
        <Button class="noprint" onclick={() => print()}>Print for the rack door</Button>
      </header>
      <Front jacks={jacks(device)} hues={hues.of} label={`The front of ${device.name}`} />
      {#if answer?.sheet && answer.sheet.device === device.name}
        {#each answer.sheet.unsayable as u (u.port + u.shape)}
          <p class="mt-2 pl-2.5 border-l-3 border-red max-w-[90ch]">
            <b>{u.port.replace(".", " ")}</b> cannot be <span class="mono">{u.shape}</span>: {u.why}. It stands below as
            <span class="mono">{u.nearest}</span>.
          </p>
        {/each}
        {#if answer.found}
          <p class="noprint only mt-2.5 text-soft">
            <label class="mr-3 text-ink"><Checkbox bind:checked={only} /> only what differs</label> found {when(answer.found.at)} by {answer
              .found.author}, {answer.found.how}{answer.before.length ? `; ${answer.before.length} times before` : ""}
          </p>
        {/if}
        <Tables planned={answer.sheet.tables} found={answer.found?.tables ?? null} {only} />
        <div class="mt-4.5 gap-7 grid grid-cols-[repeat(auto-fit,minmax(min(360px,100%),1fr))] print:block">
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
          <section class="hangs mt-4.5 break-inside-avoid">
            <h2 class="font-bold">What is in it</h2>
            <Table class="listed">
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
        <p class="lead why mt-3.5">
          {answer.why} <a class="underline" href={place.href("devices", { device: device.name })}>Go to the device</a>
        </p>
      {/if}
    </section>
  {:else}
    <section class="px-7 narrow:px-4 pt-4 pb-10 print:p-0">
      <h1>Sheets</h1>
      <First what="A sheet is what to enter on one device, in the words of its own pages, and read back what was entered." />
    </section>
  {/if}
</div>
