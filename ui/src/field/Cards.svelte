<script lang="ts">
  import { Button, Input, Table } from "flowbite-svelte";
  import type { Readings } from "../api/client";
  import { office } from "../state/office.svelte";
  import { pending } from "../state/pending.svelte";
  import { since } from "../state/seen.svelte";

  let { cards }: { cards: Readings["cards"] } = $props();

  let all = $state(false);
  const strange = $derived(cards.filter((c) => !c.name));
  const shown = $derived(all ? cards : strange.slice(0, 12));
  /** The plugs of a port that nobody said the card of: one of them may be it. */
  const plugs = (c: (typeof cards)[number]) =>
    office.view?.devices
      .find((d) => d.name === c.device)
      ?.ports.find((p) => p.name === c.port)
      ?.plugs?.filter((g) => !g.mac && g.wants === c.vid) ?? [];
  const ref = (c: (typeof cards)[number]) => `${c.device}.${/^[\w.-]+$/.test(c.port) ? c.port : JSON.stringify(c.port)}`;
  const is = (c: (typeof cards)[number], name: string, more = "") =>
    pending.propose([`plug ${ref(c)} ${JSON.stringify(name)} wants ${c.vid}${more} card ${c.mac}`], `${c.mac} is ${name}`);
  function named(e: SubmitEvent, c: (typeof cards)[number]) {
    e.preventDefault();
    const name = String(new FormData(e.currentTarget as HTMLFormElement).get("name") ?? "").trim();
    if (name) is(c, name);
  }
</script>

<section class="mt-4.5">
  <h2>Plugged in, by its network card</h2>
  <Table class="listed">
    <tbody>
      {#each shown as c (c.mac + c.device + c.port + c.vid)}
        <tr>
          <td>{c.device} {c.port}</td>
          <td class="mono">{c.mac}</td>
          <td>in {c.vid}, since {since(c.since)}</td>
          <td>
            {#if c.name}<b>{c.name}</b>{:else}
              {#each plugs(c) as g (g.name)}
                <Button
                  class="px-2 py-0 text-[12px] min-h-6"
                  onclick={() =>
                    is(
                      c,
                      g.name,
                      (g.tagged ? " tagged" : "") +
                        (g.operator ? " operator" : "") +
                        (g.at ? ` at ${g.at}` : "") +
                        (g.facts?.note ? ` note ${JSON.stringify(g.facts.note)}` : ""),
                    )}>is {g.name}</Button
                >
              {:else}
                <form onsubmit={(e) => named(e, c)}>
                  <Input
                    class="field w-30!"
                    type="text"
                    name="name"
                    placeholder="its name"
                    aria-label={`The name of ${c.mac}`}
                    autocomplete="off"
                  />
                </form>
              {/each}
            {/if}
          </td>
        </tr>
      {:else}
        <tr><td class="text-soft">{cards.length ? "All of them are known by name." : "No card was seen yet."}</td></tr>
      {/each}
    </tbody>
  </Table>
  {#if cards.length > shown.length || all}
    <Button onclick={() => (all = !all)}>{all ? "Only those without a name" : `All ${cards.length}`}</Button>
  {/if}
</section>

<style>
  /* On a phone: where and what in a line, what to do below it, for a thumb. */
  @media (max-width: 600px) {
    tr {
      display: flex;
      flex-wrap: wrap;
      gap: 2px 10px;
      padding: 6px 0;
      border-bottom: 1px solid var(--hair);
    }
    td {
      border: 0;
      padding: 0;
    }
    td:last-child {
      flex-basis: 100%;
    }
    td :global(button),
    section :global(input) {
      min-height: 36px;
    }
  }
</style>
