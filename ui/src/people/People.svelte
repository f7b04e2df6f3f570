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

<div class="people px-5 pt-3.5 pb-10 max-w-225 narrow:px-3 narrow:pt-2.5 narrow:pb-10">
  <h1>People</h1>
  <p class="lead">
    {id ? "Who may what in this office." : "Who may what in every office, those to come too."}
    {#if id && me.may("keeper", 0)}<a class="underline underline-offset-2" href="/people">In every office</a>{:else if !id}<a
        class="underline underline-offset-2"
        href="/offices">The offices</a
      >{/if}
  </p>
  {#if keeps}
    <section class="mt-3.5" aria-label="Who may what">
      {#if now}
        <Table class="listed">
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
      {#if wrong}<p class="wrong mt-1.5 text-red" role="alert">{wrong}</p>{/if}
      <form
        class="mt-3 gap-y-1.5 gap-x-3 flex flex-wrap items-center"
        onsubmit={(e) => (e.preventDefault(), void ask(api.invite(id, role)))}
      >
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
            <li class="py-1 border-b border-hair gap-y-1 gap-x-2.5 flex flex-wrap items-baseline">
              <span>An invitation as a {x.role}{id ? "" : ` of ${x.office || "every office"}`}, by {x.by}</span>
              <span class="soft">until {when(x.expires)}, while {x.by} may give it</span>
              <Button
                class="ml-auto"
                onclick={() => ask(api.withdraw(id, x.id))}
                aria-label={`Withdraw the invitation as a ${x.role} by ${x.by}`}>Withdraw</Button
              >
            </li>
          {/each}
        </ul>
      {/if}
      {#if link}
        <div class="made mt-2.5 py-0.5 pl-3 border-l-3 border-plum" role="status">
          <p><b>This link is shown once.</b> Send it to whom it is for:</p>
          <p class="line gap-2 flex items-baseline">
            <code class="mono px-1.25 py-px wrap-anywhere bg-paper">{link}</code><Button onclick={() => copy(link, "the link")}>Copy</Button
            >
          </p>
        </div>
      {/if}
    </section>
  {:else}
    <p class="soft">Who may what here is for a keeper {id ? `of ${office.view?.title ?? "the office"}` : "of all offices"} to see.</p>
  {/if}
  <Self />
  {#if keeps && record.length}
    <section class="mt-3.5" aria-label="Record">
      <h2 class="mt-4.5 border-b border-ink font-bold">Record</h2>
      <p class="soft">
        What was done that is no edit; edits are in the history. Nobody changes it. <a
          class="underline underline-offset-2"
          href={`/api${id ? `/offices/${id}` : ""}/record?file=1`}
          download>All of it, as CSV</a
        >
      </p>
      <Table class="listed record">
        <tbody>
          {#each record as e (e.id)}
            <tr>
              <td class="soft whitespace-nowrap">{when(e.at)}</td>
              <th scope="row">{e.who}</th>
              <td class="wrap-anywhere">{e.what}{e.about ? `: ${e.about}` : ""}</td>
              <td class="soft mono">{e.address ?? ""}</td>
            </tr>
          {/each}
        </tbody>
      </Table>
    </section>
  {/if}
</div>

<style>
  .soft {
    color: var(--soft);
    font-size: 13px;
  }
  @media (max-width: 700px) {
    .people :global(select) {
      max-width: 44vw;
    }
  }
</style>
