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

<div class="px-7 pt-4.5 pb-10 max-w-250 narrow:px-3 narrow:pt-3.5 narrow:pb-10">
  <h1>Notices</h1>
  <p class="lead">What happens while nobody looks here is told outside: by mail, to another program by webhook, or to a syslog server.</p>
  {#if now?.to.length}
    <Table class="listed">
      <thead><tr><th>To</th><th>Of</th><th>How it goes</th><th><span class="sr-only">Acts</span></th></tr></thead>
      <tbody>
        {#each now.to as t (t.id)}
          <tr data-notice={t.id}>
            <td
              ><b>{t.target}</b><span class="note block text-[12px] text-soft"
                >{t.way}{t.daily ? ", once a day" : ", at once"}{t.mine ? "" : `; ${t.by}'s`}</span
              ></td
            >
            <td>{t.kinds.map(short).join(", ")}</td>
            <td
              >{#if t.waiting}{count(t.waiting, "message")} waiting{:else if t.sent}the last was taken{:else if !t.failed}nothing was sent
                yet{/if}
              {#if t.failed}<span class="wrong note block text-[12px] text-red">{t.failed}</span>{:else if t.sent}<span
                  class="note block text-[12px] text-soft">of {when(t.sent)}</span
                >{/if}</td
            >
            <td class="acts whitespace-nowrap text-right">
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
    <p class="secret mb-3 px-3 py-2 border-l-3 border-plum bg-panel wrap-anywhere" role="status">
      The webhook is signed with <code class="mono">{secret}</code>: give it to the program that listens. It is not shown again.
    </p>
  {/if}
  {#if now}
    <form class="panel" onsubmit={(e) => (e.preventDefault(), target.trim() && kinds.length && void add())}>
      <h2 class="mb-1.5 font-bold">Somebody more</h2>
      <fieldset class="mb-2.5 gap-1 grid">
        <legend>Tell when</legend>
        {#each now.kinds as k (k.kind)}<label class="gap-1.5 flex items-center"
            ><Checkbox value={k.kind} bind:group={kinds} id={`kind-${k.kind}`} /> {k.says}</label
          >{/each}
      </fieldset>
      <div class="gap-2 flex flex-wrap items-center">
        <label class="gap-1.5 flex items-center"
          >by <Select placeholder="" classes={{ select: "field" }} bind:value={way} id="notice-way"
            >{#each now.ways as w (w)}<option value={w}>{says[w]?.[0] ?? w}</option>{/each}</Select
          ></label
        >
        <Input
          class="field mono flex-1 min-w-55"
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
