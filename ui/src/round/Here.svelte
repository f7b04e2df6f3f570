<script lang="ts">
  import { Alert, Button, Input, Label, Select, Spinner } from "flowbite-svelte";
  import { api, type PlugTest, type RoundHere } from "../api/client";
  import { office } from "../state/office.svelte";
  import { me } from "../state/me.svelte";
  import { place } from "../state/place.svelte";
  import { answers, otherwise, spaced, taggedAdvice, tryable, type Ended } from "./words";

  const id = $derived(office.view!.id);
  const mayTick = $derived(me.may("carrier", id));
  let port = $state(place.now.query.get("port") ?? "");
  let now = $state.raw<RoundHere | null>(null);
  let wrong = $state("");
  let parts = $state<Ended[]>([]);
  let trying = $state(false);
  let note = $state("");
  let kept = $state("");

  async function look() {
    wrong = kept = "";
    try {
      now = await api.roundHere(id, port || undefined);
      parts = now.test?.reach.map(() => "untold") ?? [];
    } catch (e) {
      now = null;
      wrong = e instanceof Error ? e.message : String(e);
    }
  }
  $effect(() => {
    void [id, port];
    void look();
  });

  const test = $derived(now?.test ?? null);
  const named = (vid: number | null) => {
    const v = vid === null ? null : office.view!.vlans.find((x) => x.vid === vid);
    return vid === null ? "" : `${vid} ${v?.name ?? ""}`.trim();
  };
  const elsewhere = $derived(
    now !== null && test !== null && now.vlan !== null && test.expect.vlan !== null && now.vlan !== test.expect.vlan,
  );
  const bad = $derived(test ? otherwise(test, parts) : []);

  /** What a browser can try: whether a connection ends at once, however it ends, or nothing comes back. */
  async function reached(to: string, service: string): Promise<Ended> {
    const tcp = /^tcp\/(\d+)$/.exec(service);
    if (!tcp || !/^[0-9a-f.:]+$/i.test(to)) return "untold"; // a name, as outside, is no address
    const host = to.includes(":") ? `[${to}]` : to;
    const stop = new AbortController();
    const patience = 4000;
    const late = setTimeout(() => stop.abort(), patience);
    const began = performance.now();
    try {
      await fetch(`${location.protocol}//${host}:${tcp[1]}/`, {
        mode: "no-cors",
        cache: "no-store",
        credentials: "omit",
        signal: stop.signal,
      });
      return "answered";
    } catch {
      // A refusal comes at once, and so does a certificate that is not known, or words that are no HTTP: somebody is there, or refuses in
      // his name. What a browser does not let one try at all ends at once, too: it says nothing.
      const took = performance.now() - began;
      return stop.signal.aborted ? "silent" : took < 3 ? "untold" : "answered";
    } finally {
      clearTimeout(late);
    }
  }
  async function tryAll(t: PlugTest) {
    trying = true;
    const next = [...parts];
    for (const r of tryable(t)) next[r.i] = await reached(r.to, r.service);
    parts = next;
    trying = false;
  }
  async function say(became: "passed" | "failed") {
    wrong = kept = "";
    try {
      await api.roundResult(id, {
        port: test!.port,
        became,
        here: true,
        given: now!.vlan !== null ? now!.address : undefined,
        parts: parts.some((p) => p !== "untold") ? parts : undefined,
        note: note.trim() || undefined,
        revision: now!.revision,
      });
      kept = became === "passed" ? "It is kept: as planned." : "It is kept: not as planned.";
    } catch (e) {
      wrong = e instanceof Error ? e.message : String(e);
    }
  }
  const ports = $derived((now?.ports ?? []).map((p) => ({ value: p, name: spaced(p) })));
  const words: Record<Ended, string> = {
    untold: "not tried",
    answered: "somebody answers, or refuses at once",
    silent: "nothing comes back",
  };
</script>

<div class="here px-5 pt-3.5 pb-10 max-w-180">
  <header>
    <h1>Where am I?</h1>
    <p class="lead">
      This page says from which address your laptop or phone asks, hence in which VLAN it is. Nothing needs to be installed.
    </p>
  </header>
  {#if wrong}<Alert color="red" role="alert">{wrong}</Alert>{/if}
  {#if kept}<Alert role="status">{kept} <a href={place.href("round")}>To the round</a></Alert>{/if}
  {#if !now && !wrong}<p role="status"><Spinner size="4" /> Asking</p>{/if}
  {#if now}
    <p class="big my-2.5 text-[18px]" role="status">
      You ask from <b class="mono">{now.address}</b>{#if now.vlan !== null}: that is <b>{named(now.vlan)}</b>.{:else if now.own}: this
        browser is on the server’s own machine. Open the page on the laptop or phone that is plugged in.{:else}, which no VLAN of the office
        has. Either it is in another network (mobile data, a visitor’s), or something on the way changes addresses.{/if}
    </p>
    <Label for="here-port">Where it is plugged in</Label>
    <Select id="here-port" placeholder="choose a port" items={ports} bind:value={port} />
    {#if test}
      <section aria-label="What is to be seen">
        <h2 class="mt-4.5 border-b border-ink font-bold">{spaced(test.port)}{test.socket ? `, socket ${test.socket}` : ""}</h2>
        <p>
          {#if test.expect.vlan === null}Nothing is to be heard there.{:else}As planned it is in <b>{named(test.expect.vlan)}</b
            >{#if test.expect.server}, with an address from <span class="mono">{test.expect.from} – {test.expect.to}</span>{/if}.{/if}
        </p>
        {#if elsewhere}<Alert color="red" role="alert">It is in {named(now.vlan)} instead.</Alert>{/if}
        {#if answers(test).length}
          <h3 class="mt-3 font-[650]">What is to answer, and what is not</h3>
          <ul class="ml-4.5 list-disc">
            {#each tryable(test) as r (r.i)}
              <li class:no={(parts[r.i] === "silent" && r.ok) || (parts[r.i] === "answered" && !r.ok)}>
                <span class="mono">{r.to}</span>
                {r.service}: {r.ok ? "is to answer" : "is not to answer"}{#if parts[r.i] !== "untold"}; <b>{words[parts[r.i]!]}</b>{/if}
              </li>
            {/each}
          </ul>
          <p class="my-1 text-soft text-[13px]">
            A browser can try connections (tcp) alone, and cannot tell an answer from a refusal; for ping and the rest there is
            <span class="mono">klammer look</span>, one file for Linux, Windows and macOS.
          </p>
          <Button disabled={trying} onclick={() => tryAll(test)}>{trying ? "Trying" : "Try the connections"}</Button>
        {/if}
        {#if mayTick}
          <h3 class="mt-3 font-[650]">Say so</h3>
          <Label for="here-note">What was seen</Label>
          <Input id="here-note" maxlength={500} autocomplete="off" bind:value={note} />
          <p class="do mt-2 gap-2.5 flex">
            <Button class="main px-4.5 py-0.5 min-h-10.5" disabled={elsewhere || bad.length > 0} onclick={() => say("passed")}
              >As planned</Button
            >
            <Button class="px-4.5 py-0.5 min-h-10.5" onclick={() => say("failed")}>Otherwise</Button>
          </p>
        {/if}
      </section>
    {:else if now.tests.length}
      <p>The round has these places in {named(now.vlan)}: {now.tests.map((t) => spaced(t!.port)).join(", ")}.</p>
    {/if}
    <section aria-label="Tagged VLANs">
      <h2 class="mt-4.5 border-b border-ink font-bold">A VLAN that comes tagged</h2>
      <ul class="ml-4.5 list-disc">
        {#each taggedAdvice as a (a)}<li>{a}</li>{/each}
      </ul>
    </section>
  {/if}
</div>

<style>
  .no {
    color: var(--red);
  }
</style>
