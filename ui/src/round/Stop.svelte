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
  class="py-1.5 pl-2.5 border-b border-l-4 border-b-hair border-l-transparent gap-y-0.5 gap-x-3.5 grid grid-cols-[150px_minmax(0,1fr)_auto] narrow:pt-2.5 narrow:pr-0 narrow:pb-3 narrow:pl-2.5 narrow:grid-cols-1 print:break-inside-avoid"
  id={`stop-${key(test)}`}
  tabindex="-1"
  class:passed={result?.passed && !result.old}
  class:failed={result && !result.passed && !result.old}
  class:old={result?.old}
>
  <div class="at flex flex-col items-start wrap-anywhere narrow:gap-2.5 narrow:flex-row narrow:items-baseline">
    <b class="mono">{spaced(test.port)}</b>
    {#if test.socket}<span class="wire text-[13px] text-soft">socket {test.socket}</span>{/if}
    <span class="wire text-[13px] text-soft" class:tag={test.wire !== null}>{wears(test)}</span>
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
    <p class="soft text-soft text-[13px]">
      {#each answers(test) as a (a.text)}<span class="reach mr-[0.4em]" class:not={!a.ok}>{a.text}</span>{/each}
    </p>
    {#if result}
      <div class="became mt-0.75 text-[13px]" role="status">
        <b class="font-[650]">{result.old ? "Old: the plan moved on here." : result.passed ? "As planned." : "Not as planned."}</b>
        {#if !result.passed}
          {#if result.given}was given <span class="mono">{result.given}</span>.{/if}
          {#each result.wrong as w (w)}<span class="wrongs">{w}</span>{/each}
        {/if}
        {#if result.note}<q class="block italic">{result.note}</q>{/if}
        <span class="soft text-soft text-[13px]"
          >{result.measured ? "measured, " : result.looked ? "looked at, " : ""}{result.author}, {since(result.at)}</span
        >
      </div>
    {/if}
    {#if test.played && !test.played.old}
      <p class="soft noprint text-soft text-[13px]">
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
        <summary class="text-[13px] text-soft">how one tests a tagged VLAN</summary>
        <ul class="mt-0.5 mb-1 ml-4.5 list-disc text-[13px] text-soft">
          {#each taggedAdvice as a (a)}<li>{a}</li>{/each}
        </ul>
      </details>
    {/if}
    {#if test.shows.length}
      <details class="noprint">
        <summary class="text-[13px] text-soft"
          >{test.shows.length}
          {word(test.shows.length, "mistake", "mistakes")} in carrying out {test.shows.length === 1 ? "is" : "are"} noticed here, if made</summary
        >
        <p class="soft text-soft text-[13px]">{test.shows.join("; ")}</p>
      </details>
    {/if}
    {#if telling}
      <form
        onsubmit={fail}
        class="noprint my-1.5 gap-y-1 gap-x-2.5 grid grid-cols-[max-content_minmax(0,260px)] items-center narrow:grid-cols-1"
      >
        <label for={`${id}-given`}>Address it was given</label>
        <Input
          id={`${id}-given`}
          class="field mono narrow:min-h-10"
          placeholder="none"
          inputmode="decimal"
          autocomplete="off"
          bind:value={given}
        />
        {#if given.trim()}
          <label for={`${id}-server`}>By whom (DHCP server)</label>
          <Input
            id={`${id}-server`}
            class="field mono narrow:min-h-10"
            placeholder="not looked at"
            inputmode="decimal"
            autocomplete="off"
            bind:value={server}
          />
          <label for={`${id}-gateway`}>Gateway</label>
          <Input
            id={`${id}-gateway`}
            class="field mono narrow:min-h-10"
            placeholder="not looked at"
            inputmode="decimal"
            autocomplete="off"
            bind:value={gateway}
          />
          <label for={`${id}-bits`}>Length of the mask</label>
          <Input
            id={`${id}-bits`}
            class="field mono narrow:min-h-10"
            placeholder="/24; 255.255.255.0 is /24"
            pattern="/?[0-9]{'{'}1,3{'}'}"
            inputmode="numeric"
            autocomplete="off"
            bind:value={bits}
          />
        {/if}
        {#if tryable(test).length}
          <details class="parts col-span-full">
            <summary class="text-[13px] text-soft">what answered, one by one</summary>
            {#each tryable(test) as r (r.i)}
              <div class="py-0.5 gap-y-0.5 gap-x-2.5 flex flex-wrap justify-between items-center max-w-105 text-[13px]">
                <label for={`${id}-part-${r.i}`}><span class="mono">{r.to}</span> {r.service}</label>
                <Select id={`${id}-part-${r.i}`} placeholder="" items={endings} bind:value={parts[r.i]} />
              </div>
            {/each}
          </details>
        {/if}
        <label for={`${id}-note`}>What was seen</label>
        <Input id={`${id}-note`} class="field narrow:min-h-10" maxlength={500} autocomplete="off" bind:value={note} />
        <Button type="submit" class="main" disabled={busy}>Keep it as failed</Button>
        <Button type="button" onclick={() => (telling = false)}>Leave it</Button>
      </form>
    {/if}
  </div>
  <div class="do noprint gap-1.5 flex flex-wrap content-start justify-end narrow:mt-1 narrow:justify-start">
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
  <div class="hidden print:gap-[3mm] print:flex print:justify-end print:w-[58mm] print:text-[12px]" aria-hidden="true">
    {#if printing && test.wire === null}
      <span class="code flex-[0_0_22mm]"
        >{@html renderSVG(`${location.origin}/${number}/here?port=${encodeURIComponent(test.port)}`, { border: 1 })}</span
      >
    {/if}
    <span>☐ as planned<br />☐ otherwise:<br />…………………</span>
  </div>
</li>

<style>
  .passed {
    border-left-color: var(--plum);
  }
  .failed {
    border-left-color: var(--red);
  }
  .old {
    border-left-color: var(--amber);
  }
  .tag {
    color: var(--ink);
  }
  .reach + .reach::before {
    content: "· ";
  }
  .not {
    font-style: italic;
  }
  .wrongs,
  .failed .became .soft {
    display: block;
  }
  form :global(button) {
    justify-self: start;
  }
  @media (max-width: 700px) {
    .do :global(button),
    form :global(button) {
      min-height: 42px;
      padding: 2px 16px;
    }
  }
</style>
