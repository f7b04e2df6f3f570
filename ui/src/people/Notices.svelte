<!-- Who hears what of the office outside of Klammer: by mail, by webhook, by syslog. -->
<script lang="ts">
  import { Button, Checkbox, Input, Select, Table } from "flowbite-svelte";
  import { api, type Notices } from "../api/client";
  import { office } from "../state/office.svelte";
  import { count } from "../shell/plural";

  let now = $state.raw<Notices | null>(null);
  let way = $state("mail");
  let target = $state("");
  let kinds = $state<string[]>([]);
  let daily = $state("");
  let problem = $state("");
  let secret = $state("");
  const id = $derived(office.view?.id ?? 0);
  const says: Record<string, [string, string]> = {
    mail: ["e-mail to", "ida@clinic.example"],
    webhook: ["a webhook at", "https://desk.clinic.example/klammer"],
    syslog: ["a syslog server at", "udp://log.clinic.example:514"],
  };

  async function did(what: Promise<Notices>) {
    try {
      now = await what;
      problem = "";
      if (now.secret) secret = now.secret;
      return true;
    } catch (e) {
      problem = e instanceof Error ? e.message : String(e);
      return false;
    }
  }
  $effect(() => {
    if (!id) return;
    void did(api.notices(id));
    const again = setInterval(() => void (document.hidden || did(api.notices(id))), 5000);
    return () => clearInterval(again);
  });
  async function add() {
    secret = "";
    if (await did(api.addNotice(id, { way: way as "mail", target: target.trim(), kinds, daily: daily === "daily" }))) target = "";
  }
  const when = (at: string) => new Date(at).toLocaleString(undefined, { dateStyle: "medium", timeStyle: "short" });
  const short = (kind: string) =>
    ({ drift: "drift", silent: "silent devices", order: "orders", checkup: "check-ups", backup: "backups" })[kind] ?? kind;
</script>

<div class="notices">
  <h1>Notices</h1>
  <p class="lead">What happens while nobody looks here is told outside: by mail, to another program by webhook, or to a syslog server.</p>
  {#if now?.to.length}
    <Table class="listed">
      <thead><tr><th>To</th><th>Of</th><th>How it goes</th><th><span class="sr-only">Acts</span></th></tr></thead>
      <tbody>
        {#each now.to as t (t.id)}
          <tr data-notice={t.id}>
            <td><b>{t.target}</b><span class="note">{t.way}{t.daily ? ", once a day" : ", at once"}{t.mine ? "" : `; ${t.by}'s`}</span></td>
            <td>{t.kinds.map(short).join(", ")}</td>
            <td
              >{#if t.waiting}{count(t.waiting, "message")} waiting{:else if t.sent}the last was taken{:else if !t.failed}nothing was sent
                yet{/if}
              {#if t.failed}<span class="wrong note">{t.failed}</span>{:else if t.sent}<span class="note">of {when(t.sent)}</span>{/if}</td
            >
            <td class="acts">
              <Button onclick={() => did(api.tryNotice(id, t.id))} aria-label={`Send a test to ${t.target}`}>Test</Button>
              <Button onclick={() => did(api.dropNotice(id, t.id))} aria-label={`Tell ${t.target} no more`}>×</Button>
            </td>
          </tr>
        {/each}
      </tbody>
    </Table>
  {:else if now}
    <p>Nobody is told of anything yet. Begin with yourself: choose below what you want to hear of, and send a test.</p>
  {/if}
  {#if secret}
    <p class="secret" role="status">
      The webhook is signed with <code class="mono">{secret}</code>: give it to the program that listens. It is not shown again.
    </p>
  {/if}
  {#if now}
    <form class="panel" onsubmit={(e) => (e.preventDefault(), target.trim() && kinds.length && void add())}>
      <h2>Somebody more</h2>
      <fieldset>
        <legend>Tell when</legend>
        {#each now.kinds as k (k.kind)}<label><Checkbox value={k.kind} bind:group={kinds} id={`kind-${k.kind}`} /> {k.says}</label>{/each}
      </fieldset>
      <div class="how">
        <label
          >by <Select placeholder="" classes={{ select: "field" }} bind:value={way} id="notice-way"
            >{#each now.ways as w (w)}<option value={w}>{says[w]?.[0] ?? w}</option>{/each}</Select
          ></label
        >
        <Input
          class="field mono"
          id="notice-target"
          bind:value={target}
          placeholder={says[way]?.[1]}
          aria-label="Where it is sent"
          aria-invalid={!!problem}
          aria-describedby="notice-problem"
        />
        <Select placeholder="" classes={{ select: "field" }} bind:value={daily} id="notice-daily" aria-label="How often"
          ><option value="">at once</option><option value="daily">once a day, all together</option></Select
        >
        <Button type="submit" class="main" disabled={!target.trim() || !kinds.length}>Tell</Button>
      </div>
      <p class="wrong" id="notice-problem" role="alert">{problem}</p>
    </form>
  {/if}
</div>

<style>
  .notices {
    padding: 18px 28px 40px;
    max-width: 1000px;
  }
  .acts {
    white-space: nowrap;
    text-align: right;
  }
  .note {
    display: block;
    font-size: 12px;
    color: var(--soft);
  }
  .wrong.note {
    color: var(--red);
  }
  h2 {
    font-weight: 700;
    margin-bottom: 6px;
  }
  fieldset {
    display: grid;
    gap: 4px;
    margin-bottom: 10px;
  }
  fieldset label,
  .how label {
    display: flex;
    gap: 6px;
    align-items: center;
  }
  .how {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    align-items: center;
  }
  .how :global(#notice-target) {
    flex: 1;
    min-width: 220px;
  }
  .secret {
    margin-bottom: 12px;
    padding: 8px 12px;
    border-left: 3px solid var(--plum);
    background: var(--panel);
    overflow-wrap: anywhere;
  }
  @media (max-width: 700px) {
    .notices {
      padding: 14px 12px 40px;
    }
  }
</style>
