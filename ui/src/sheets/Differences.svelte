<script lang="ts">
  import { may, only } from "../state/may.svelte";
  import { Button, Table } from "flowbite-svelte";
  import { latest } from "../api/latest";
  import { count } from "../shell/plural";
  import { api, type Device, type FoundState, type PortChange } from "../api/client";
  import { quote } from "../line/quote";
  import { office } from "../state/office.svelte";
  import { pending } from "../state/pending.svelte";
  import { since } from "../state/seen.svelte";

  let { device, found }: { device: Device; found: FoundState } = $props();

  const name = (port: string) => port.slice(port.indexOf(".") + 1);
  const statement = (port: string, shape: string) => {
    const p = device.ports.find((x) => x.name === name(port));
    const why = p?.because ? ` because ${JSON.stringify(p.because)}` : "";
    return `${device.name} ${quote(name(port))}: ${shape}${why}`;
  };
  // Ports that something is plugged into come first: somebody notices there.
  const plugs = $derived(
    new Map(
      (office.shown?.devices ?? []).flatMap((d) =>
        d.ports.filter((p) => p.plugs).map((p) => [`${d.name}.${p.name}`, p.plugs!.map((g) => g.name).join(", ")] as [string, string]),
      ),
    ),
  );
  const newest = latest();
  let changes = $state.raw<PortChange[]>([]);
  $effect(() => {
    const id = office.view?.id;
    void [found, office.view?.revision];
    newest.drop();
    if (id && found.differences.length) {
      newest(api.meaning(id, device.name)).then(
        (m) => (changes = m),
        () => undefined,
      );
    } else changes = [];
  });
  const meaning = $derived([...changes].sort((a, b) => Number(plugs.has(b.port)) - Number(plugs.has(a.port))));
  const spaced = (p: string) => p.replace(".", " ");
  const few = (ps: string[]) => ps.slice(0, 6).map(spaced).join(", ") + (ps.length > 6 ? ` and ${ps.length - 6} more` : "");
</script>

{#if found.routing}
  <section class="mb-4.5" id="found-routing">
    <h2 class="mb-1 font-bold">
      {found.routing.differs.length ? "Addresses, routes and rules differ" : "Addresses, routes and rules are as planned"}
    </h2>
    <p class="text-[13px]">{found.routing.how}, {since(found.routing.at)}: {found.routing.tells.join(", ")}.</p>
    {#if found.routing.differs.length}
      <ul class="pl-4.5 text-[13px] list-disc">
        {#each found.routing.differs as d (d)}<li>{d}</li>{/each}
      </ul>
    {/if}
    {#if found.routing.unsaid.length}
      <p class="text-[13px]">Found there, and not to be said:</p>
      <ul class="pl-4.5 text-[13px] list-disc">
        {#each found.routing.unsaid as d (d)}<li>{d}</li>{/each}
      </ul>
    {/if}
  </section>
{/if}
<section class="mb-4.5">
  <h2 class="mb-1 font-bold">
    Found and planned {found.differences.length ? `differ on ${count(found.differences.length, "port")}` : "are the same"}
  </h2>
  {#if found.problem}<p class="wrong">{found.problem}</p>{/if}
  {#if found.differences.length}
    <Table>
      <thead
        ><tr
          ><th class="px-2 py-0.5 border-b-[1.5px] border-ink text-left text-[11px] text-soft" scope="col">Port</th><th
            class="px-2 py-0.5 border-b-[1.5px] border-ink text-left text-[11px] text-soft"
            scope="col">Found</th
          ><th class="px-2 py-0.5 border-b-[1.5px] border-ink text-left text-[11px] text-soft" scope="col">Planned</th><th
            class="px-2 py-0.5 border-b-[1.5px] border-ink text-left text-[11px] text-soft"><span class="sr-only">Take it</span></th
          ></tr
        ></thead
      >
      <tbody>
        {#each found.differences as d (d.port)}
          <tr data-differs={d.port}>
            <td class="mono px-2 py-0.5 border-b border-hair">{name(d.port)}</td>
            <td class="mono px-2 py-0.5 border-b border-hair">{d.found}</td>
            <td class="mono px-2 py-0.5 border-b border-hair">{d.planned}</td>
            <td class="px-2 py-0.5 border-b border-hair"
              ><Button
                class="text-[12.5px] whitespace-nowrap"
                onclick={() => pending.propose([statement(d.port, d.found)])}
                {...only(may.plan)}>Take found</Button
              ></td
            >
          </tr>
        {/each}
      </tbody>
    </Table>
    <p class="acts mt-2 text-[13px] text-soft">
      <Button
        id="take-all"
        onclick={() =>
          pending.propose(
            found.differences.map((d) => statement(d.port, d.found)),
            `${device.name}: take all that was found as planned`,
          )}
        {...only(may.plan)}>Take all that was found…</Button
      > or let the plan stand: the steps lead to it.
    </p>
    {#if meaning.length}
      <h3 class="mt-2 mb-1 font-bold text-[13px]">What the plan changes for frames</h3>
      {#each meaning.slice(0, 12) as m (m.port)}
        <p class="text-[13px]">
          <b>{spaced(m.port)}</b>{plugs.has(m.port) ? ` (${plugs.get(m.port)})` : ""}
          {m.gains.length ? `gains ${few(m.gains)}` : ""}{m.gains.length && m.loses.length ? "; " : ""}{m.loses.length
            ? `loses ${few(m.loses)}`
            : ""}{m.otherwise.length
            ? `${m.gains.length + m.loses.length ? "; " : ""}still reaches ${few(m.otherwise)}, but tagged otherwise`
            : ""}
        </p>
      {/each}
      {#if meaning.length > 12}<p class="text-[13px]">and {meaning.length - 12} more ports</p>{/if}
    {/if}
  {/if}
</section>

<style>
  section :global(table) {
    width: 100%;
    border-collapse: collapse;
    font-size: 13px;
    background: var(--panel);
  }
</style>
