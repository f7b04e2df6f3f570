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
  <section id="found-routing">
    <h2>
      {found.routing.differs.length ? "Addresses, routes and rules differ" : "Addresses, routes and rules are as planned"}
    </h2>
    <p class="meaning">{found.routing.how}, {since(found.routing.at)}: {found.routing.tells.join(", ")}.</p>
    {#if found.routing.differs.length}
      <ul>
        {#each found.routing.differs as d (d)}<li>{d}</li>{/each}
      </ul>
    {/if}
    {#if found.routing.unsaid.length}
      <p class="meaning">Found there, and not to be said:</p>
      <ul>
        {#each found.routing.unsaid as d (d)}<li>{d}</li>{/each}
      </ul>
    {/if}
  </section>
{/if}
<section>
  <h2>
    Found and planned {found.differences.length ? `differ on ${count(found.differences.length, "port")}` : "are the same"}
  </h2>
  {#if found.problem}<p class="wrong">{found.problem}</p>{/if}
  {#if found.differences.length}
    <Table>
      <thead
        ><tr
          ><th scope="col">Port</th><th scope="col">Found</th><th scope="col">Planned</th><th><span class="sr-only">Take it</span></th></tr
        ></thead
      >
      <tbody>
        {#each found.differences as d (d.port)}
          <tr data-differs={d.port}>
            <td class="mono">{name(d.port)}</td>
            <td class="mono">{d.found}</td>
            <td class="mono">{d.planned}</td>
            <td><Button onclick={() => pending.propose([statement(d.port, d.found)])} {...only(may.plan)}>Take found</Button></td>
          </tr>
        {/each}
      </tbody>
    </Table>
    <p class="acts">
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
      <h3>What the plan changes for frames</h3>
      {#each meaning.slice(0, 12) as m (m.port)}
        <p class="meaning">
          <b>{spaced(m.port)}</b>{plugs.has(m.port) ? ` (${plugs.get(m.port)})` : ""}
          {m.gains.length ? `gains ${few(m.gains)}` : ""}{m.gains.length && m.loses.length ? "; " : ""}{m.loses.length
            ? `loses ${few(m.loses)}`
            : ""}{m.otherwise.length
            ? `${m.gains.length + m.loses.length ? "; " : ""}still reaches ${few(m.otherwise)}, but tagged otherwise`
            : ""}
        </p>
      {/each}
      {#if meaning.length > 12}<p class="meaning">and {meaning.length - 12} more ports</p>{/if}
    {/if}
  {/if}
</section>

<style>
  section {
    margin-bottom: 18px;
  }
  h2,
  h3 {
    font-weight: 700;
    margin-bottom: 4px;
  }
  h3 {
    margin-top: 8px;
    font-size: 13px;
  }
  section :global(table) {
    width: 100%;
    border-collapse: collapse;
    font-size: 13px;
    background: var(--panel);
  }
  th {
    text-align: left;
    font-size: 11px;
    color: var(--soft);
    border-bottom: 1.5px solid var(--ink);
    padding: 2px 8px;
  }
  td {
    padding: 2px 8px;
    border-bottom: 1px solid var(--hair);
  }
  td :global(button) {
    font-size: 12.5px;
    white-space: nowrap;
  }
  .acts {
    margin-top: 8px;
    font-size: 13px;
    color: var(--soft);
  }
  .meaning,
  ul {
    font-size: 13px;
  }
  ul {
    list-style: disc;
    padding-left: 18px;
  }
</style>
