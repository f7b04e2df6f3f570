<!-- The check-up: how the office is today, beside last time: read, not reached, set otherwise, not in order, not proved. -->
<script lang="ts">
  import { Button, Input, Select, Table } from "flowbite-svelte";
  import { api, type Checkup, type Checkups } from "../api/client";
  import { quote } from "../line/quote";
  import { may, only } from "../state/may.svelte";
  import { office } from "../state/office.svelte";
  import { pending } from "../state/pending.svelte";
  import { place } from "../state/place.svelte";
  import { count } from "../shell/plural";

  let all = $state.raw<Checkups | null>(null);
  let working = $state(false);
  let problem = $state("");
  let note = $state("");
  let purpose = $state(""); // the port that is set so on purpose
  let because = $state("");
  const id = $derived(office.view?.id ?? 0);
  const one = $derived(all?.newest ?? null);
  const differ = $derived(one?.devices.filter((d) => d.differs.length) ?? []);
  const silent = $derived(one?.devices.filter((d) => d.why) ?? []);
  const unread = $derived(one?.devices.filter((d) => !d.why && !d.read && !d.found) ?? []);

  async function did(what: Promise<Checkups>) {
    working = true;
    try {
      all = await what;
      problem = "";
    } catch (e) {
      problem = e instanceof Error ? e.message : String(e);
    }
    working = false;
  }
  $effect(() => {
    if (id) void did(api.checkups(id));
  });
  const when = (at: string) => new Date(at).toLocaleString(undefined, { dateStyle: "medium", timeStyle: "short" });
  const day = (at: string) => new Date(at).toLocaleDateString(undefined, { dateStyle: "medium" });
  function set(port: string, shape: string, why = "") {
    const dot = port.indexOf(".");
    pending.propose([
      `${port.slice(0, dot)} ${quote(port.slice(dot + 1))}: ${shape}${why.trim() ? ` because ${JSON.stringify(why.trim())}` : ""}`,
    ]);
    purpose = because = "";
  }
  const proof = (p: Checkup["proof"]) =>
    `${p.proved} of ${count(p.places, "place")} proved as planned${p.failed ? `, ${p.failed} seen otherwise` : ""}${p.oldest ? `; the longest ago on ${day(p.oldest)}` : ""}.`;
</script>

<div class="px-7 pt-4.5 pb-10 max-w-260 narrow:px-3 narrow:pt-3.5 narrow:pb-10">
  <div class="noprint">
    <h1>Check-up</h1>
    <p class="lead">
      How the office is today, and what of it is otherwise than last time. Have the devices read first (Field), or look at them; then check.
      By itself it reads, checks, and tells who wants to hear of it (Notices).
    </p>
    <form
      class="acts gap-2 flex flex-wrap items-center"
      onsubmit={(e) => (e.preventDefault(), void did(api.checkUp(id, note)).then(() => (note = "")))}
    >
      <Input
        class="field"
        id="check-note"
        bind:value={note}
        maxlength={500}
        placeholder="what else to know of today"
        aria-label="A note for this check-up"
      />
      <Button type="submit" class="main" id="check-now" disabled={working} {...only(may.carry)}>Check now</Button>
      <label class="gap-1.5 flex items-center"
        >by itself <Select
          placeholder=""
          classes={{ select: "field" }}
          id="check-every"
          value={String(all?.every ?? 0)}
          onchange={(e) => did(api.checkEvery(id, Number(e.currentTarget.value)))}
          {...only(may.carry)}
          ><option value="0">never</option><option value="7">every week</option><option value="30">every month</option><option value="90"
            >every three months</option
          >{#if all && ![0, 7, 30, 90].includes(all.every)}<option value={String(all.every)}>every {all.every} days</option>{/if}</Select
        ></label
      >
      {#if one}<Button onclick={() => window.print()}>Print</Button>{/if}
    </form>
    {#if problem}<p class="wrong" role="alert">{problem}</p>{/if}
  </div>
  {#if one}
    <article class="mt-3.5" data-checkup={one.id}>
      <h2 class="font-bold text-[17px]">{office.view?.title}, {when(one.at)}</h2>
      <p>By {one.by}, for revision {one.revision}. <b>{one.told}</b></p>
      {#if one.note}<p>{one.note}</p>{/if}
      <h3>Set otherwise than planned</h3>
      {#if differ.length}
        <Table class="listed">
          <thead
            ><tr><th>Where</th><th>Planned</th><th>Found</th><th>Since</th><th class="noprint"><span class="sr-only">Acts</span></th></tr
            ></thead
          >
          <tbody>
            {#each differ as d (d.device)}
              {#each d.differs as p, i (p.port || `${d.device} ${i}`)}
                <tr data-differs={p.port || d.device}>
                  <td
                    ><b>{p.port ? p.port.replace(".", " ") : d.device}</b>{#if p.fresh}<span
                        class="ml-2 px-1.25 border border-current text-[11.5px] text-plum">new</span
                      >{/if}</td
                  >
                  <td class="mono">{p.planned ?? ""}</td>
                  <td class="mono">{p.found}</td>
                  <td>{p.since ? day(p.since) : ""}</td>
                  <td class="noprint">
                    {#if p.port && purpose === p.port}
                      <form
                        class="acts gap-2 flex flex-wrap items-center"
                        onsubmit={(e) => (e.preventDefault(), because.trim() && set(p.port!, p.found, because))}
                      >
                        <Input
                          class="field"
                          bind:value={because}
                          placeholder="because …"
                          aria-label={`Why ${p.port} is so on purpose`}
                          id="because"
                        />
                        <Button type="submit" class="main" disabled={!because.trim()} {...only(may.plan)}>Show</Button>
                      </form>
                    {:else if p.port}
                      <span class="acts gap-2 flex flex-wrap items-center">
                        <Button onclick={() => set(p.port!, p.found)} aria-label={`Take ${p.port} into the plan`} {...only(may.plan)}
                          >Take into the plan…</Button
                        >
                        <Button
                          onclick={() => ((purpose = p.port!), setTimeout(() => document.getElementById("because")?.focus(), 40))}
                          aria-label={`${p.port} is so on purpose`}
                          {...only(may.plan)}>On purpose…</Button
                        >
                      </span>
                    {/if}
                  </td>
                </tr>
              {/each}
            {/each}
          </tbody>
        </Table>
        <p class="noprint">
          <a class="underline underline-offset-2" href={place.href("orders")}>Make an order</a> that sets all of it as planned.
        </p>
      {:else}<p>Nothing of what is known.</p>{/if}
      <h3>Not reached, or not known</h3>
      {#each silent as d (d.device)}<p class="wrong">{d.device} did not answer{d.read ? ` on ${day(d.read)}` : ""}: {d.why}</p>{/each}
      {#if unread.length}<p>
          Nobody knows what these are set to: {unread.map((d) => d.device).join(", ")}. Read them under Field, or paste what they say under
          Sheets.
        </p>{/if}
      {#if !silent.length && !unread.length}<p>Every device is known.</p>{/if}
      <h3>Findings of the plan</h3>
      {#each one.findings as f (f.text)}<p class={f.severity}>
          {f.text}{#if f.fresh}<span class="ml-2 px-1.25 border border-current text-[11.5px] text-plum">new</span>{/if}
        </p>{:else}<p>None that breaks or is a risk.</p>{/each}
      {#if one.gone.length}
        <h3>No more since last time</h3>
        {#each one.gone as text (text)}<p class="gone text-soft">{text}</p>{/each}
      {/if}
      <h3>Proved</h3>
      <p>{proof(one.proof)}</p>
      <h3>Backups</h3>
      <p>{one.backups || "None are made by themselves."}</p>
    </article>
    {#if all?.before.length}
      <section class="noprint">
        <h3>Before</h3>
        {#each all.before as b (b.id)}<p><b>{when(b.at)}</b> {b.by}: {b.told}</p>{/each}
      </section>
    {/if}
  {:else if all}
    <p>It was never checked. The first check-up is what the next one is laid beside.</p>
  {/if}
</div>

<style>
  .acts :global(#check-note) {
    width: 300px;
  }
  h3 {
    font-weight: 700;
    margin: 14px 0 4px;
  }
  .breaks {
    color: var(--red);
  }
  .risk {
    color: var(--amber);
  }
</style>
