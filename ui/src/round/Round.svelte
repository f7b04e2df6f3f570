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

<div class="round px-5 pt-3.5 pb-10 max-w-275 narrow:px-3 narrow:pt-2.5 narrow:pb-10 print:p-0 print:max-w-none">
  <header>
    <h1>Round</h1>
    <p class="lead">
      Plug a laptop in at these places. {lengthSays[chosen]} What it must see there stands beside. Any phone will do for wireless networks, and
      the code on the printed round leads it to its place.
    </p>
  </header>
  {#if working}
    <p class="panel noprint mt-3.5" class:again={now} role="status">
      Working the round out: every mistake is tried on the spans of the whole office.
      {#if working.hundredths}{working.hundredths} % of them are.{/if}
      <Button onclick={() => working?.stop.abort()}>Stop</Button>
    </p>
  {:else if stopped}
    <p class="panel noprint mt-3.5">It was stopped. <Button onclick={() => void read()}>Work the round out</Button></p>
  {/if}
  {#if now}
    <div class="lengths noprint pt-2 gap-1.5 flex flex-wrap" role="group" aria-label="How long the round is">
      {#each now.lengths as l (l.name)}
        <Button
          class="aria-pressed:border-plum! aria-pressed:font-[650] aria-pressed:text-plum! aria-pressed:z-1"
          aria-pressed={chosen === l.name}
          onclick={() => choose(l.name)}
          >{lengthNames[l.name]}: {l.places} {word(l.places, "place", "places")}, {l.shows} {word(l.shows, "mistake", "mistakes")}</Button
        >
      {/each}
    </div>
    <div
      class="bar noprint pt-1.5 pb-2 border-b border-hair gap-y-1.5 gap-x-3 flex flex-wrap items-center sticky top-0 z-2 bg-paper narrow:static"
      role="toolbar"
      aria-label="The round"
    >
      <span class="far min-w-[11ch]" role="status"><b>{tests.length - open}</b> of {tests.length} done</span>
      <progress
        class="border border-hair appearance-none w-20 h-2 bg-panel"
        max={tests.length}
        value={tests.length - open}
        aria-label="How far the round is"
      ></progress>
      {#if failed}<Button class="no" onclick={() => document.getElementById("explains")?.scrollIntoView({ block: "center" })}
          >{failed} failed: what explains {failed === 1 ? "it" : "them"}</Button
        >{/if}
      <div class="pick mr-auto flex" role="group" aria-label="Which tests">
        {#each filters as [k, name] (k)}<Button
            class="-ml-px rounded-none aria-pressed:border-plum! aria-pressed:font-[650] aria-pressed:text-plum! aria-pressed:z-1"
            aria-pressed={show === k}
            onclick={() => (show = k)}>{name}</Button
          >{/each}
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
    {#if !now.known}<p class="noprint mt-1.5 text-soft text-[13px]">
        Where devices were read (<a class="underline underline-offset-2" href={place.href("field")}>Field</a>) or typed in (<a
          class="underline underline-offset-2"
          href={place.href("sheets")}>Sheets</a
        >), a laptop can be played on what they are set to.
      </p>{/if}
    {#if failed}<Suspects suspects={now.suspects} more={now.more} next={now.next} ongo={goTo} />{/if}
    {#if now.playing.length}
      <details class="playing noprint" open={!failed}>
        <summary class="mt-2.5 text-[13px] text-soft">Played on what devices were found set to: what would explain it</summary>
        <Suspects suspects={now.playing} more={0} next={null} ongo={goTo} played />
      </details>
    {/if}
    {#if next}
      <section class="mt-4" aria-label="Besides the round">
        <h2 class="border-b border-ink font-bold">Besides the round</h2>
        <Only why={may.carry}>
          <ul><Stop test={{ ...next, extra: true, quick: false, order: false }} {busy} {said} {printing} office={view.id} /></ul>
        </Only>
      </section>
    {/if}
    {#if !tests.length}
      <p class="panel mt-3.5">
        There is no place where a laptop would see a mistake: no port is free, or nothing answers. Addresses of the gateway and of devices
        make it see more.
      </p>
    {:else if !shown.length}
      <p class="panel mt-3.5">{show === "open" ? "The whole round is walked." : "No test failed."}</p>
    {/if}
    {#each devices as d (d.name)}
      <section class="mt-4" aria-label={d.name}>
        <h2 class="border-b border-ink font-bold">
          {d.name}{#if d.tests[0]!.place}<span class="where ml-[1em] font-normal text-[13px] text-soft">{d.tests[0]!.place}</span>{/if}
        </h2>
        <Only why={may.carry}>
          <ul>
            {#each d.tests as t (key(t))}<Stop test={t} {busy} {said} {printing} office={view.id} />{/each}
          </ul>
        </Only>
      </section>
    {/each}
    {#if now.unshown.length}
      <details class="mt-5.5 text-[13px]">
        <summary
          >{now.unshown.length}
          {word(now.unshown.length, "mistake", "mistakes")} that no laptop sees anywhere: look at the devices’ pages for {now.unshown
            .length === 1
            ? "it"
            : "them"}</summary
        >
        <p class="mt-1 text-soft">{now.unshown.join("; ")}</p>
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
  .bar :global(.no) {
    color: var(--red);
    border-color: var(--red);
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
</style>
