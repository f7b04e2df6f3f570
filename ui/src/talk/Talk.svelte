<script lang="ts">
  import { may, only } from "../state/may.svelte";
  import { Button, Input, Select } from "flowbite-svelte";
  import { tick } from "svelte";
  import { api, Refused, type TalkAnswer, type TalkTable } from "../api/client";
  import { latest } from "../api/latest";
  import PortField from "../shell/PortField.svelte";
  import { office } from "../state/office.svelte";
  import { pending } from "../state/pending.svelte";
  import { place } from "../state/place.svelte";
  import { selection } from "../state/selection.svelte";
  import Known from "./Known.svelte";
  import Matrix from "./Matrix.svelte";
  import Rules from "./Rules.svelte";
  import { cells, services, side } from "./table";
  import Ways from "./Ways.svelte";
  import Wishes from "./Wishes.svelte";

  let table = $state.raw<TalkTable | null>(null);
  let answer = $state.raw<TalkAnswer | null>(null);
  let problem = $state({ field: "", text: "" });
  let from = $state("");
  let to = $state("");
  let service = $state("");
  let device = $state("");
  let rule = $state(0);
  let like = $state("");
  const newest = latest();
  const newestWay = latest();

  const asked = $derived(place.now.query);
  const name = (vid: number) => side(vid, office.shown);
  const vid = (text: string) => {
    if (text === "outside") return 0;
    return office.shown?.vlans.find((v) => String(v.vid) === text || v.name === text)?.vid ?? -1;
  };
  // The cell that is asked about; where somebody else is, the last one stays marked.
  let cell = $state({ from: 0, to: 0 });
  const rows = $derived(table ? cells(table, pending.preview?.talk) : []);
  const routing = $derived((office.shown?.devices ?? []).filter((d) => d.routing || d.rules?.length));
  const shown = $derived(routing.find((d) => d.name === device) ?? routing[0]);
  const known = $derived(table?.routers.find((r) => r.device === shown?.name));
  const others = $derived((office.shown?.vlans ?? []).filter((v) => v.registered && v.vid !== cell.from && (v.addresses?.length ?? 0) > 0));

  $effect(() => {
    const view = office.shown;
    if (!view) return;
    void [view.revision, office.view?.found];
    newest(api.talk(view.id, office.then?.revision)).then(
      (t) => (table = t),
      (e) => office.tell(e),
    );
  });
  $effect(() => {
    const areas = table?.areas;
    if (!areas) return;
    const first = selection.vlan?.vid ?? 0;
    const f = asked.get("from") ?? String((areas.includes(first) && first) || areas.find((a) => a > 1) || areas[0] || "outside");
    const t = asked.get("to") ?? "outside";
    from = vid(f) >= 0 ? name(vid(f)) : f;
    to = vid(t) >= 0 ? name(vid(t)) : t;
    service = asked.get("service") ?? "";
    const [a, b] = [vid(f), vid(t)];
    if (a >= 0 && b >= 0) cell = { from: a, to: b };
  });
  $effect(() => {
    const view = office.shown;
    const [f, t, s] = [from, to, asked.get("service") ?? ""];
    if (!view || !f || !t) return;
    void view.revision;
    newestWay(api.talkWay(view.id, f, t, s, office.then?.revision)).then(
      (a) => {
        answer = a;
        problem = { field: "", text: "" };
        if (table?.areas.includes(a.fromVid) && table.areas.includes(a.toVid)) cell = { from: a.fromVid, to: a.toVid };
      },
      (e) => {
        answer = null;
        problem = { field: e instanceof Refused ? e.field : "", text: e instanceof Error ? e.message : String(e) };
      },
    );
  });

  /** Of two VLANs that may talk in part: which part, in words. */
  const which = $derived(
    answer && answer.service === "any" && vid(answer.from) >= 0 && vid(answer.to) >= 0
      ? (rows.flat().find((c) => c.from === answer!.fromVid && c.to === answer!.toVid)?.which ?? "")
      : "",
  );
  const query = (f: string, t: string, s: string) => ({ from: f, to: t, ...(s.trim() ? { service: s.trim() } : {}) });
  const choose = (f: number, t: number) => place.go(place.href("talk", query(name(f), name(t), asked.get("service") ?? "")), true);
  const ask = () => place.go(place.href("talk", query(from, to, service)));
  const back = () => document.getElementById("talk")?.focus();

  function act(word: "allow" | "deny" | "must" | "never") {
    if (may.plan || cell.from === cell.to) return;
    pending.propose([`${word} ${name(cell.from)} to ${name(cell.to)}${services(service)}`], undefined, back);
  }
  function keys(e: KeyboardEvent) {
    const word = { a: "allow", d: "deny", "+": "must", "-": "never" }[e.key] as "allow" | "deny" | "must" | "never" | undefined;
    if (!word || e.ctrlKey || e.metaKey || e.altKey) return;
    e.preventDefault();
    act(word);
  }
  function showRule(of: string, n: number) {
    device = of;
    rule = n;
    void tick().then(() => document.querySelector<HTMLElement>(`[data-rule="${n}"]`)?.focus());
  }
</script>

<div
  class="talk px-5.5 pt-3.5 pb-8 gap-5 grid grid-cols-[fit-content(60%)_minmax(340px,1fr)] items-start half:px-3.5 half:pt-3 half:pb-7 half:grid-cols-1"
>
  <section class="left gap-2.5 min-w-0 grid content-start">
    <h1>Talk</h1>
    <p class="lead m-0 max-w-[64ch] text-[13px]">
      Who may talk to whom: a row asks, a column is asked. A full cell is everything, a hatched one some services, how many stands in it.
    </p>
    {#if table}
      <Matrix {rows} {name} chosen={cell} onchoose={choose} onkey={keys} />
      <p class="mt-1.5 gap-y-0.5 gap-x-3.5 flex flex-wrap text-[12.5px] text-soft">
        <span><b class="mono">3</b> so many services</span>
        <span><b class="mono">*</b> everything, of some of them or to some of them</span>
        <span><b class="mono">·</b> nothing</span>
        <span><b class="mono">+</b> must</span>
        <span><b class="mono">−</b> never</span>
        <span><b class="mono wrong">!</b> that wish fails</span>
      </p>
      <div class="acts gap-y-1.5 gap-x-3 flex flex-wrap items-center" role="toolbar" aria-label="For the marked cell">
        <span class="min-w-37.5"><b>{name(cell.from)}</b> to <b>{name(cell.to)}</b></span>
        <label class="gap-1.5 flex items-center"
          >by <Input
            class="field mono"
            id="talk-services"
            list="talk-known"
            bind:value={service}
            onchange={ask}
            onkeydown={(e) => e.key === "Enter" && ask()}
            placeholder="any service"
          /></label
        >
        <datalist id="talk-known">
          {#each ["ping", "tcp/22", "tcp/80", "tcp/443", "udp/53"] as s (s)}<option value={s}></option>{/each}
          {#each office.shown?.services ?? [] as s (s.name)}<option value={s.name}>{s.is}</option>{/each}
        </datalist>
        <span class="keys gap-1.5 flex">
          <Button onclick={() => act("allow")} {...only(may.plan)}>Allow <kbd>a</kbd></Button>
          <Button onclick={() => act("deny")} {...only(may.plan)}>Deny <kbd>d</kbd></Button>
          <Button onclick={() => act("must")} data-tip="Wish that it must be able to" {...only(may.plan)}>Must <kbd>+</kbd></Button>
          <Button onclick={() => act("never")} data-tip="Wish that it must never be able to" {...only(may.plan)}>Never <kbd>-</kbd></Button>
        </span>
      </div>
      {#if cell.from && others.length && !may.plan}
        <form
          class="acts gap-y-1.5 gap-x-3 flex flex-wrap items-center"
          onsubmit={(e) => {
            e.preventDefault();
            if (like) pending.propose([`talks ${name(cell.from)} like ${like}`], undefined, back);
          }}
        >
          <label class="gap-1.5 flex items-center"
            ><b>{name(cell.from)}</b> talks like
            <Select placeholder="" classes={{ select: "field" }} bind:value={like} id="talk-like"
              ><option value="">whom</option>{#each others as v (v.vid)}<option value={v.name}>{v.vid} {v.name}</option>{/each}</Select
            ></label
          >
          <Button type="submit" disabled={!like} {...only(may.plan)}>Show what changes</Button>
        </form>
      {/if}
      <Wishes wishes={table.wishes} onshow={choose} />
    {/if}
  </section>
  <section class="right gap-2.5 min-w-0 grid content-start" aria-live="polite">
    <form class="ask gap-y-1.5 gap-x-3 flex flex-wrap items-center" onsubmit={(e) => (e.preventDefault(), ask())}>
      <label class="gap-1.5 flex items-center"
        >From <PortField bind:value={from} id="talk-from" wrong={problem.field === "from"} onpick={ask} more any /></label
      >
      <label class="gap-1.5 flex items-center"
        >to <PortField bind:value={to} id="talk-to" wrong={problem.field === "to"} onpick={ask} more any /></label
      >
      <Button type="submit" class="main">Ask</Button>
    </form>
    {#if problem.text}<p class="wrong" role="alert">{problem.text}</p>{/if}
    {#if answer}<Ways {answer} {name} {which} onrule={showRule} />{/if}
    {#if routing.length > 1}
      <nav class="devices gap-1.5 flex flex-wrap" aria-label="Devices that route">
        {#each routing as d (d.name)}<Button
            class="aria-pressed:border-plum! aria-pressed:font-[650]"
            aria-pressed={d.name === shown?.name}
            onclick={() => ((device = d.name), (rule = 0))}
            >{d.name} <span class="mono aria-pressed:border-plum aria-pressed:font-[650]">{d.rules?.length ?? 0}</span></Button
          >{/each}
      </nav>
    {/if}
    {#if known}<Known router={known} />{/if}
    {#if shown}{#key shown.name}<Rules device={shown} bind:at={rule} />{/key}{:else}
      <p class="lead m-0 max-w-[64ch] text-[13px]">
        No device routes: give one addresses in two VLANs, in the register, and it leads from the one to the other.
      </p>
    {/if}
  </section>
</div>

<style>
  .acts :global(#talk-services) {
    width: 150px;
  }
</style>
