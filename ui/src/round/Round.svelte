<script lang="ts">
  import { may, only } from "../state/may.svelte";
  import Only from "../shell/Only.svelte";
  import { Button } from "flowbite-svelte";
  import { flushSync, tick } from "svelte";
  import { api, type PlugTest, type RoundResult, type RoundTest, type RoundView } from "../api/client";
  import { latest } from "../api/latest";
  import { word } from "../shell/plural";
  import { found } from "../state/found.svelte";
  import SitePick from "../shell/SitePick.svelte";
  import { sites } from "../state/sites.svelte";
  import { office } from "../state/office.svelte";
  import { place } from "../state/place.svelte";
  import Probe from "./Probe.svelte";
  import Stop from "./Stop.svelte";
  import Suspects from "./Suspects.svelte";
  import { key } from "./words";

  const view = $derived(office.view!);
  let now = $state.raw<RoundView | null>(null);
  let show = $state<"all" | "open" | "failed">("all");
  type Length = RoundView["lengths"][number]["name"];
  const lengthNames: Record<Length, string> = { quick: "Quick", full: "Full", order: "Last order" };
  const lengthSays: Record<Length, string> = {
    quick:
      "They go to each device once in each of its VLANs, and try each rule once; what is wrong at a single desk’s port they show by chance.",
    full: "Together they show any single mistake in carrying the plan out that a laptop can see.",
    order: "Together they show any single mistake in what the last order touched.",
  };
  let length = $state<Length>((localStorage.getItem("klammer-round") as Length) || "full");
  const chosen = $derived(now?.lengths.some((l) => l.name === length) ? length : "full");
  function choose(name: Length) {
    length = name;
    localStorage.setItem("klammer-round", name);
  }
  let printing = $state(false); // the codes of places are drawn for paper only
  let busy = $state(false);
  let measuring = $state(false);
  let next = $state.raw<PlugTest | null>(null); // where one was sent, beside the round
  const newest = latest();

  /** A round that takes long, while it is worked out: how far it is, and what stops it. */
  let working = $state.raw<{ hundredths: number; stop: AbortController } | null>(null);
  let stopped = $state(false);

  async function read() {
    const stop = new AbortController();
    stopped = false;
    const watch = setInterval(() => {
      if (!working) working = { hundredths: 0, stop };
      api.roundWorking(view.id).then(
        (w) => working && (working = { ...working, hundredths: w.working }),
        () => {},
      );
    }, 700);
    try {
      now = await newest(api.round(view.id, stop.signal));
    } catch (e) {
      if (stop.signal.aborted) stopped = true;
      else office.tell(e);
    } finally {
      clearInterval(watch);
      working = null;
    }
  }
  $effect(() => {
    void [view.id, view.revision, found.heard];
    void read();
  });

  async function keep(what: Promise<RoundView>) {
    busy = true;
    try {
      now = await what; // the server tells of it besides, so that what is read last is newest
      return true;
    } catch (e) {
      office.tell(e);
      void read(); // not waited for: while busy, Enter in a form would be lost
      return false;
    } finally {
      busy = false;
    }
  }
  async function said(t: PlugTest, body: Omit<RoundResult, "port" | "wire" | "revision">) {
    const ok = await keep(api.roundResult(view.id, { port: t.port, wire: t.wire ?? undefined, revision: now!.revision, ...body }));
    if (ok && next && key(next) === key(t)) next = null;
    if (ok && body.became === "passed") {
      await tick();
      const all = now!.tests.map(key);
      const after = now!.tests.slice(all.indexOf(key(t)) + 1).find((x) => !x.result || x.result.old);
      if (after)
        document
          .getElementById(`stop-${key(after)}`)
          ?.querySelector<HTMLElement>("button.main")
          ?.focus();
    }
    return ok;
  }
  async function goTo(t: PlugTest) {
    show = "all";
    next = now!.tests.some((x) => key(x) === key(t)) ? null : t;
    await tick();
    const at = document.getElementById(`stop-${key(t)}`);
    at?.scrollIntoView({ block: "center" });
    (at?.querySelector<HTMLElement>("button:not(:disabled)") ?? at)?.focus(); // while something is kept none can be pressed
  }

  const inLength = (t: RoundTest) => (chosen === "full" ? !t.extra : chosen === "quick" ? t.quick : t.order);
  const tests = $derived((now?.tests ?? []).filter((t) => (inLength(t) || t.result) && sites.has(t.port.slice(0, t.port.indexOf(".")))));
  const open = $derived(tests.filter((t) => !t.result || t.result.old).length);
  const failed = $derived(tests.filter((t) => t.result && !t.result.passed && !t.result.old).length);
  const shown = $derived(
    tests.filter((t) => show === "all" || (show === "open" ? !t.result || t.result.old : t.result && !t.result.passed)),
  );
  const devices = $derived.by(() => {
    const out: { name: string; tests: typeof tests }[] = [];
    for (const t of shown) {
      const name = t.port.slice(0, t.port.indexOf("."));
      const last = out.at(-1);
      if (last?.name === name) last.tests.push(t);
      else out.push({ name, tests: [t] });
    }
    return out;
  });
  const filters = [
    ["all", "All"],
    ["open", "Still open"],
    ["failed", "Failed"],
  ] as const;
</script>

<svelte:window onbeforeprint={() => flushSync(() => (printing = true))} onafterprint={() => (printing = false)} />

<div class="round">
  <header>
    <h1>Round</h1>
    <p class="lead">
      Plug a laptop in at these places. {lengthSays[chosen]} What it must see there stands beside. Any phone will do for wireless networks, and
      the code on the printed round leads it to its place.
    </p>
  </header>
  {#if working}
    <p class="panel noprint" class:again={now} role="status">
      Working the round out: every mistake is tried on the spans of the whole office.
      {#if working.hundredths}{working.hundredths} % of them are.{/if}
      <Button onclick={() => working?.stop.abort()}>Stop</Button>
    </p>
  {:else if stopped}
    <p class="panel noprint">It was stopped. <Button onclick={() => void read()}>Work the round out</Button></p>
  {/if}
  {#if now}
    <div class="lengths noprint" role="group" aria-label="How long the round is">
      {#each now.lengths as l (l.name)}
        <Button aria-pressed={chosen === l.name} onclick={() => choose(l.name)}
          >{lengthNames[l.name]}: {l.places} {word(l.places, "place", "places")}, {l.shows} {word(l.shows, "mistake", "mistakes")}</Button
        >
      {/each}
    </div>
    <div class="bar noprint" role="toolbar" aria-label="The round">
      <span class="far" role="status"><b>{tests.length - open}</b> of {tests.length} done</span>
      <progress max={tests.length} value={tests.length - open} aria-label="How far the round is"></progress>
      {#if failed}<Button class="no" onclick={() => document.getElementById("explains")?.scrollIntoView({ block: "center" })}
          >{failed} failed: what explains {failed === 1 ? "it" : "them"}</Button
        >{/if}
      <div class="pick" role="group" aria-label="Which tests">
        {#each filters as [k, name] (k)}<Button aria-pressed={show === k} onclick={() => (show = k)}>{name}</Button>{/each}
      </div>
      <Button
        disabled={busy || !now.known}
        data-tip={now.known ? "" : "Nothing was found yet of what devices are set to"}
        onclick={() => keep(api.roundPlay(view.id))}>Play what was found</Button
      >
      <Button aria-expanded={measuring} onclick={() => (measuring = !measuring)} {...only(may.carry)}>Have a laptop measure</Button>
      <SitePick />
      <Button onclick={() => print()}>Print</Button>
      <Button href={`/${view.id}/here`} target="_self" rel="external">Where am I?</Button>
    </div>
    {#if measuring}<Probe />{/if}
    {#if !now.known}<p class="soft noprint">
        Where devices were read (<a href={place.href("field")}>Field</a>) or typed in (<a href={place.href("sheets")}>Sheets</a>), a laptop
        can be played on what they are set to.
      </p>{/if}
    {#if failed}<Suspects suspects={now.suspects} more={now.more} next={now.next} ongo={goTo} />{/if}
    {#if now.playing.length}
      <details class="playing noprint" open={!failed}>
        <summary>Played on what devices were found set to: what would explain it</summary>
        <Suspects suspects={now.playing} more={0} next={null} ongo={goTo} played />
      </details>
    {/if}
    {#if next}
      <section aria-label="Besides the round">
        <h2>Besides the round</h2>
        <Only why={may.carry}>
          <ul><Stop test={{ ...next, extra: true, quick: false, order: false }} {busy} {said} {printing} office={view.id} /></ul>
        </Only>
      </section>
    {/if}
    {#if !tests.length}
      <p class="panel">
        There is no place where a laptop would see a mistake: no port is free, or nothing answers. Addresses of the gateway and of devices
        make it see more.
      </p>
    {:else if !shown.length}
      <p class="panel">{show === "open" ? "The whole round is walked." : "No test failed."}</p>
    {/if}
    {#each devices as d (d.name)}
      <section aria-label={d.name}>
        <h2>
          {d.name}{#if d.tests[0]!.place}<span class="where">{d.tests[0]!.place}</span>{/if}
        </h2>
        <Only why={may.carry}>
          <ul>
            {#each d.tests as t (key(t))}<Stop test={t} {busy} {said} {printing} office={view.id} />{/each}
          </ul>
        </Only>
      </section>
    {/each}
    {#if now.unshown.length}
      <details class="unshown">
        <summary
          >{now.unshown.length}
          {word(now.unshown.length, "mistake", "mistakes")} that no laptop sees anywhere: look at the devices’ pages for {now.unshown
            .length === 1
            ? "it"
            : "them"}</summary
        >
        <p>{now.unshown.join("; ")}</p>
      </details>
    {/if}
  {/if}
</div>

<style>
  /* While a round that is there is worked out again, nothing moves. */
  .again {
    position: fixed;
    z-index: 3;
    right: 20px;
    bottom: 52px;
    max-width: 420px;
    border: 1px solid var(--ink);
  }
  .round {
    padding: 14px 20px 40px;
    max-width: 1100px;
  }
  .bar {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 6px 12px;
    padding: 6px 0 8px;
    border-bottom: 1px solid var(--hair);
    position: sticky;
    top: 0;
    z-index: 2;
    background: var(--paper);
  }
  .lengths {
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
    padding-top: 8px;
  }
  .where {
    margin-left: 1em;
    font-weight: 400;
    font-size: 13px;
    color: var(--soft);
  }
  .playing summary {
    margin-top: 10px;
    font-size: 13px;
    color: var(--soft);
  }
  .far {
    min-width: 11ch;
  }
  .bar :global(.no) {
    color: var(--red);
    border-color: var(--red);
  }
  progress {
    appearance: none;
    width: 80px;
    height: 8px;
    border: 1px solid var(--hair);
    background: var(--panel);
  }
  progress::-webkit-progress-bar {
    background: var(--panel);
  }
  progress::-webkit-progress-value {
    background: var(--plum);
  }
  progress::-moz-progress-bar {
    background: var(--plum);
  }
  .pick {
    display: flex;
    margin-right: auto;
  }
  .pick :global(button) {
    border-radius: 0;
    margin-left: -1px;
  }
  .lengths :global([aria-pressed="true"]),
  .pick :global([aria-pressed="true"]) {
    font-weight: 650;
    border-color: var(--plum);
    color: var(--plum);
    z-index: 1;
  }
  .soft {
    color: var(--soft);
    font-size: 13px;
    margin-top: 6px;
  }
  .soft a {
    text-decoration: underline;
    text-underline-offset: 2px;
  }
  section {
    margin-top: 16px;
  }
  h2 {
    font-weight: 700;
    border-bottom: 1px solid var(--ink);
  }
  .panel {
    margin-top: 14px;
  }
  .unshown {
    margin-top: 22px;
    font-size: 13px;
  }
  .unshown p {
    color: var(--soft);
    margin-top: 4px;
  }
  @media (max-width: 700px) {
    .round {
      padding: 10px 12px 40px;
    }
    .bar {
      position: static;
    }
  }
  @media print {
    .noprint {
      display: none;
    }
    .round {
      padding: 0;
      max-width: none;
    }
  }
</style>
