<script lang="ts">
  import { Button, Input, Select } from "flowbite-svelte";
  import { renderSVG } from "uqr";
  import type { PlugTest, RoundResult, RoundTest } from "../api/client";
  import { word } from "../shell/plural";
  import { office } from "../state/office.svelte";
  import { since } from "../state/seen.svelte";
  import { answers, endings, key, spaced, taggedAdvice, tryable, wears, type Ended } from "./words";

  let {
    test,
    busy,
    said,
    printing,
    office: number,
  }: {
    test: RoundTest;
    busy: boolean;
    said: (t: PlugTest, body: Omit<RoundResult, "port" | "wire" | "revision">) => Promise<boolean>;
    printing: boolean;
    office: number; // its number
  } = $props();

  let telling = $state(false);
  let given = $state("");
  let note = $state("");
  let server = $state("");
  let gateway = $state("");
  let bits = $state("");
  let parts = $state<Ended[]>([]);
  const id = $props.id();
  const result = $derived(test.result);
  const vlan = $derived(test.expect.vlan === null ? null : office.view!.vlans.find((v) => v.vid === test.expect.vlan));

  async function fail(e: SubmitEvent) {
    e.preventDefault();
    const ok = await said(test, {
      became: "failed",
      given: given.trim() || undefined,
      server: (given.trim() && server.trim()) || undefined,
      gateway: (given.trim() && gateway.trim()) || undefined,
      bits: (given.trim() && Number(bits.replace("/", ""))) || undefined,
      parts: parts.some((p) => p !== "untold") ? parts : undefined,
      note: note.trim() || undefined,
    });
    if (ok) telling = false;
  }
  function tell() {
    given = (!result?.passed && result?.given) || "";
    note = result?.note ?? "";
    server = gateway = bits = "";
    parts = test.reach.map(() => "untold");
    telling = true;
  }
</script>

<li
  id={`stop-${key(test)}`}
  tabindex="-1"
  class:passed={result?.passed && !result.old}
  class:failed={result && !result.passed && !result.old}
  class:old={result?.old}
>
  <div class="at">
    <b class="mono">{spaced(test.port)}</b>
    {#if test.socket}<span class="wire">socket {test.socket}</span>{/if}
    <span class="wire" class:tag={test.wire !== null}>{wears(test)}</span>
  </div>
  <div class="see">
    {#if test.expect.vlan === null}
      <p>Nothing is to be heard.</p>
    {:else}
      <p>
        <b>{test.expect.vlan} {vlan?.name ?? ""}</b>{#if test.expect.server}, an address
          <span class="mono">{test.expect.from} – {test.expect.to}</span>
          from {test.expect.server}{:else}, nobody hands out an address{/if}
      </p>
    {/if}
    <p class="soft">
      {#each answers(test) as a (a.text)}<span class="reach" class:not={!a.ok}>{a.text}</span>{/each}
    </p>
    {#if result}
      <div class="became" role="status">
        <b>{result.old ? "Old: the plan moved on here." : result.passed ? "As planned." : "Not as planned."}</b>
        {#if !result.passed}
          {#if result.given}was given <span class="mono">{result.given}</span>.{/if}
          {#each result.wrong as w (w)}<span class="wrongs">{w}</span>{/each}
        {/if}
        {#if result.note}<q>{result.note}</q>{/if}
        <span class="soft">{result.measured ? "measured, " : result.looked ? "looked at, " : ""}{result.author}, {since(result.at)}</span>
      </div>
    {/if}
    {#if test.played && !test.played.old}
      <p class="soft noprint">
        Played on what was found: {test.played.passed ? "as planned." : test.played.wrong.join("; ") + "."}
        <Button
          disabled={busy}
          aria-label={`Forget what was played at ${key(test)}`}
          onclick={() => said(test, { became: "open", played: true })}>Forget</Button
        >
      </p>
    {/if}
    {#if test.wire !== null}
      <details class="noprint">
        <summary>how one tests a tagged VLAN</summary>
        <ul class="advice">
          {#each taggedAdvice as a (a)}<li>{a}</li>{/each}
        </ul>
      </details>
    {/if}
    {#if test.shows.length}
      <details class="noprint">
        <summary
          >{test.shows.length}
          {word(test.shows.length, "mistake", "mistakes")} in carrying out {test.shows.length === 1 ? "is" : "are"} noticed here, if made</summary
        >
        <p class="soft">{test.shows.join("; ")}</p>
      </details>
    {/if}
    {#if telling}
      <form onsubmit={fail} class="noprint">
        <label for={`${id}-given`}>Address it was given</label>
        <Input id={`${id}-given`} class="field mono" placeholder="none" inputmode="decimal" autocomplete="off" bind:value={given} />
        {#if given.trim()}
          <label for={`${id}-server`}>By whom (DHCP server)</label>
          <Input
            id={`${id}-server`}
            class="field mono"
            placeholder="not looked at"
            inputmode="decimal"
            autocomplete="off"
            bind:value={server}
          />
          <label for={`${id}-gateway`}>Gateway</label>
          <Input
            id={`${id}-gateway`}
            class="field mono"
            placeholder="not looked at"
            inputmode="decimal"
            autocomplete="off"
            bind:value={gateway}
          />
          <label for={`${id}-bits`}>Length of the mask</label>
          <Input
            id={`${id}-bits`}
            class="field mono"
            placeholder="/24; 255.255.255.0 is /24"
            pattern="/?[0-9]{'{'}1,3{'}'}"
            inputmode="numeric"
            autocomplete="off"
            bind:value={bits}
          />
        {/if}
        {#if tryable(test).length}
          <details class="parts">
            <summary>what answered, one by one</summary>
            {#each tryable(test) as r (r.i)}
              <div>
                <label for={`${id}-part-${r.i}`}><span class="mono">{r.to}</span> {r.service}</label>
                <Select id={`${id}-part-${r.i}`} placeholder="" items={endings} bind:value={parts[r.i]} />
              </div>
            {/each}
          </details>
        {/if}
        <label for={`${id}-note`}>What was seen</label>
        <Input id={`${id}-note`} class="field" maxlength={500} autocomplete="off" bind:value={note} />
        <Button type="submit" class="main" disabled={busy}>Keep it as failed</Button>
        <Button type="button" onclick={() => (telling = false)}>Leave it</Button>
      </form>
    {/if}
  </div>
  <div class="do noprint">
    {#if result && !result.old}
      <Button disabled={busy} onclick={() => said(test, { became: "open" })} aria-label={`Take back what was said of ${key(test)}`}
        >Take back</Button
      >
    {/if}
    {#if !telling && (!result || result.old || result.passed)}
      <Button disabled={busy} onclick={tell} aria-label={`${key(test)} is not as planned`}>Otherwise</Button>
    {/if}
    {#if !result || result.old || !result.passed}
      <Button class="main" disabled={busy} onclick={() => said(test, { became: "passed" })} aria-label={`${key(test)} is as planned`}
        >As planned</Button
      >
    {/if}
  </div>
  <div class="boxes" aria-hidden="true">
    {#if printing && test.wire === null}
      <span class="code">{@html renderSVG(`${location.origin}/${number}/here?port=${encodeURIComponent(test.port)}`, { border: 1 })}</span>
    {/if}
    <span>☐ as planned<br />☐ otherwise:<br />…………………</span>
  </div>
</li>

<style>
  li {
    display: grid;
    grid-template-columns: 150px minmax(0, 1fr) auto;
    gap: 2px 14px;
    padding: 6px 0 6px 10px;
    border-bottom: 1px solid var(--hair);
    border-left: 4px solid transparent;
  }
  .passed {
    border-left-color: var(--plum);
  }
  .failed {
    border-left-color: var(--red);
  }
  .old {
    border-left-color: var(--amber);
  }
  .at {
    display: flex;
    flex-direction: column;
    align-items: start;
    overflow-wrap: anywhere;
  }
  .wire {
    font-size: 13px;
    color: var(--soft);
  }
  .tag {
    color: var(--ink);
  }
  .soft {
    color: var(--soft);
    font-size: 13px;
  }
  .reach + .reach::before {
    content: "· ";
  }
  .reach {
    margin-right: 0.4em;
  }
  .not {
    font-style: italic;
  }
  .became {
    margin-top: 3px;
    font-size: 13px;
  }
  .became b {
    font-weight: 650;
  }
  .wrongs,
  .failed .became .soft {
    display: block;
  }
  q {
    display: block;
    font-style: italic;
  }
  summary,
  details p {
    font-size: 13px;
    color: var(--soft);
  }
  .do {
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
    align-content: start;
    justify-content: end;
  }
  form {
    display: grid;
    grid-template-columns: max-content minmax(0, 260px);
    gap: 4px 10px;
    align-items: center;
    margin: 6px 0;
  }
  form :global(button) {
    justify-self: start;
  }
  .parts {
    grid-column: 1 / -1;
  }
  .parts div {
    display: flex;
    flex-wrap: wrap;
    justify-content: space-between;
    gap: 2px 10px;
    align-items: center;
    max-width: 420px;
    padding: 2px 0;
    font-size: 13px;
  }
  .advice {
    margin: 2px 0 4px 18px;
    list-style: disc;
    font-size: 13px;
    color: var(--soft);
  }
  .code {
    flex: 0 0 22mm;
  }
  .boxes {
    display: none;
  }
  @media (max-width: 700px) {
    li {
      grid-template-columns: minmax(0, 1fr);
      padding: 10px 0 12px 10px;
    }
    .at {
      flex-direction: row;
      gap: 10px;
      align-items: baseline;
    }
    .do {
      justify-content: start;
      margin-top: 4px;
    }
    .do :global(button),
    form :global(button) {
      min-height: 42px;
      padding: 2px 16px;
    }
    form {
      grid-template-columns: minmax(0, 1fr);
    }
    form :global(.field) {
      min-height: 40px;
    }
  }
  @media print {
    .noprint {
      display: none;
    }
    li {
      break-inside: avoid;
    }
    .boxes {
      display: flex;
      justify-content: end;
      gap: 3mm;
      width: 58mm;
      font-size: 12px;
    }
  }
</style>
