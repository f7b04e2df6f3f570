<script lang="ts">
  import Sure from "../shell/Sure.svelte";
  import { Button, Select, Table } from "flowbite-svelte";
  import { api, type PeopleList, type RecordEntry } from "../api/client";
  import { copy } from "../shell/copy";
  import { me } from "../state/me.svelte";
  import { office } from "../state/office.svelte";
  import { place } from "../state/place.svelte";
  import Self from "./Self.svelte";

  const id = $derived(Math.max(0, place.now.office));
  const keeps = $derived(me.may("keeper", id));
  let now = $state.raw<PeopleList | null>(null);
  let record = $state.raw<RecordEntry[]>([]);
  let link = $state("");
  let wrong = $state("");
  let role = $state("planner");
  const roles = ["reader", "planner", "technician", "carrier", "keeper"];
  const says: Record<string, string> = {
    reader: "sees",
    planner: "edits the plan too",
    technician: "sees, reads and sets devices, ticks off; edits nothing",
    carrier: "reads and sets devices, ticks off too",
    keeper: "people, credentials, deleting too",
  };

  async function ask(what: Promise<PeopleList>) {
    wrong = "";
    try {
      now = await what;
      if (now.link) link = `${location.origin}/join#${now.link}`;
      record = await api.record(id);
    } catch (e) {
      wrong = e instanceof Error ? e.message : String(e);
      if (now) now = { ...now }; // what was chosen, and refused, is as it was
    }
  }
  $effect(() => {
    link = "";
    if (keeps) void ask(api.people(id));
  });
  const when = (t: string) => new Date(t).toLocaleString(undefined, { dateStyle: "medium", timeStyle: "short" });
</script>

<div class="people">
  <h1>People</h1>
  <p class="lead">
    {id ? "Who may what in this office." : "Who may what in every office, those to come too."}
    {#if id && me.may("keeper", 0)}<a href="/people">In every office</a>{:else if !id}<a href="/offices">The offices</a>{/if}
  </p>
  {#if keeps}
    <section aria-label="Who may what">
      {#if now}
        <Table>
          <thead><tr><th scope="col">Name</th><th scope="col">{id ? "In this office" : "In every office"}</th><th></th></tr></thead>
          <tbody>
            {#each now.people as p (p.id)}
              <tr>
                <th scope="row">{p.name}{p.you ? " (you)" : ""}</th>
                <td>
                  {#key now}
                    <Select
                      placeholder=""
                      classes={{ select: "field" }}
                      value={p.role}
                      aria-label={`What ${p.name} may`}
                      onchange={(e) => ask(api.setRole(id, p.id, e.currentTarget.value))}
                    >
                      <option value="nobody">{id ? "no role of its own" : "nothing everywhere"}</option>
                      {#each roles as r (r)}<option value={r}>{r}: {says[r]}</option>{/each}
                    </Select>
                  {/key}
                  {#if p.alone}<span class="soft">by passkeys alone</span>{/if}
                  {#if id && p.everywhere !== "nobody"}<span class="soft">{p.everywhere} of every office</span>{/if}
                </td>
                <td>
                  {#if !id}<Sure
                      question={`Remove ${p.name}? What was made stays, with the name.`}
                      says="Remove"
                      label={`Remove ${p.name}`}
                      onyes={() => void ask(api.removePerson(p.id))}
                    />{/if}
                </td>
              </tr>
            {/each}
          </tbody>
        </Table>
      {/if}
      {#if wrong}<p class="wrong" role="alert">{wrong}</p>{/if}
      <form onsubmit={(e) => (e.preventDefault(), void ask(api.invite(id, role)))}>
        <label
          >Invite a <Select placeholder="" classes={{ select: "field" }} bind:value={role}
            >{#each roles as r (r)}<option>{r}</option>{/each}</Select
          ></label
        >
        <Button type="submit" class="main">Make a link</Button>
        <span class="soft">It works once, within a day.</span>
      </form>
      {#if now?.invitations.length}
        <ul aria-label="Open invitations">
          {#each now.invitations as x (x.id)}
            <li>
              <span>An invitation as a {x.role}{id ? "" : ` of ${x.office || "every office"}`}, by {x.by}</span>
              <span class="soft">until {when(x.expires)}, while {x.by} may give it</span>
              <Button onclick={() => ask(api.withdraw(id, x.id))} aria-label={`Withdraw the invitation as a ${x.role} by ${x.by}`}
                >Withdraw</Button
              >
            </li>
          {/each}
        </ul>
      {/if}
      {#if link}
        <div class="made" role="status">
          <p><b>This link is shown once.</b> Send it to whom it is for:</p>
          <p class="line"><code class="mono">{link}</code><Button onclick={() => copy(link, "the link")}>Copy</Button></p>
        </div>
      {/if}
    </section>
  {:else}
    <p class="soft">Who may what here is for a keeper {id ? `of ${office.view?.title ?? "the office"}` : "of all offices"} to see.</p>
  {/if}
  <Self />
  {#if keeps && record.length}
    <section aria-label="Record">
      <h2>Record</h2>
      <p class="soft">
        What was done that is no edit; edits are in the history. Nobody changes it. <a
          href={`/api${id ? `/offices/${id}` : ""}/record?file=1`}
          download>All of it, as CSV</a
        >
      </p>
      <Table class="record">
        <tbody>
          {#each record as e (e.id)}
            <tr>
              <td class="soft">{when(e.at)}</td>
              <th scope="row">{e.who}</th>
              <td>{e.what}{e.about ? `: ${e.about}` : ""}</td>
              <td class="soft mono">{e.address ?? ""}</td>
            </tr>
          {/each}
        </tbody>
      </Table>
    </section>
  {/if}
</div>

<style>
  .people {
    padding: 14px 20px 40px;
    max-width: 900px;
  }
  section {
    margin-top: 14px;
  }
  h2 {
    font-weight: 700;
    border-bottom: 1px solid var(--ink);
    margin-top: 18px;
  }
  .people :global(table) {
    width: 100%;
    border-collapse: collapse;
  }
  th,
  td {
    text-align: left;
    padding: 4px 10px 4px 0;
    border-bottom: 1px solid var(--hair);
    vertical-align: baseline;
  }
  thead th {
    color: var(--soft);
    font-weight: 400;
    border-bottom-color: var(--ink);
  }
  form {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 6px 12px;
    margin-top: 12px;
  }
  li {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 10px;
    align-items: baseline;
    padding: 4px 0;
    border-bottom: 1px solid var(--hair);
  }
  li :global(button) {
    margin-left: auto;
  }
  .made {
    border-left: 3px solid var(--plum);
    padding: 2px 0 2px 12px;
    margin-top: 10px;
  }
  .line {
    display: flex;
    align-items: baseline;
    gap: 8px;
  }
  code {
    overflow-wrap: anywhere;
    background: var(--paper);
    padding: 1px 5px;
  }
  .people :global(.record) {
    font-size: 13px;
  }
  .people :global(.record td:first-child) {
    white-space: nowrap;
  }
  .people :global(.record td:nth-child(3)) {
    overflow-wrap: anywhere;
  }
  .soft {
    color: var(--soft);
    font-size: 13px;
  }
  .wrong {
    color: var(--red);
    margin-top: 6px;
  }
  a {
    text-decoration: underline;
    text-underline-offset: 2px;
  }
  @media (max-width: 700px) {
    .people {
      padding: 10px 12px 40px;
    }
    .people :global(select) {
      max-width: 44vw;
    }
  }
</style>
