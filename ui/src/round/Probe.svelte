<script lang="ts">
  import Sure from "../shell/Sure.svelte";
  import { Button, Input, Select } from "flowbite-svelte";
  import { api, type TokenList } from "../api/client";
  import Password from "../people/Password.svelte";
  import { copy } from "../shell/copy";
  import { me } from "../state/me.svelte";
  import { office } from "../state/office.svelte";
  import { since } from "../state/seen.svelte";

  const id = $derived(office.view!.id);
  let now = $state.raw<TokenList | null>(null);
  let made = $state("");
  let wrong = $state("");

  const here = ["localhost", "127.0.0.1", "[::1]"].includes(location.hostname);
  const roles = $derived(["reader", "planner", "technician", "carrier", "keeper"].filter((r) => me.may(r, id)));
  const day = (t: string) => new Date(t).toLocaleDateString(undefined, { dateStyle: "medium" });
  const to = $derived(`--to ${location.origin}${now?.known ? ` --fingerprint ${now.known}` : ""}`);
  const lines = $derived([
    `export KLAMMER_TOKEN=${made}`,
    `sudo --preserve-env=KLAMMER_TOKEN klammer probe --on eth0 ${to}`,
    `klammer look ${to} --port rack.5`,
  ]);

  async function ask(what: Promise<TokenList>) {
    wrong = "";
    try {
      now = await what;
      if (now.made) made = now.made;
      return true;
    } catch (e) {
      wrong = e instanceof Error ? e.message : String(e);
      return false;
    }
  }
  $effect(() => void ask(api.tokens(id)));

  // A token of a role acts in one's name, and outlives a new password.
  let scope = $state("tests");
  let password = $state("");

  async function make(e: SubmitEvent) {
    e.preventDefault();
    const form = e.currentTarget as HTMLFormElement;
    const said = new FormData(form);
    const scope = String(said.get("scope") ?? "tests");
    if (await ask(api.tokenMake(id, String(said.get("name")), Number(said.get("days")), scope, password))) form.reset();
    password = "";
  }
</script>

{#snippet typed(line: string)}
  <p class="line my-1 gap-2 max-w-none flex items-baseline">
    <code class="mono px-1.25 py-px wrap-anywhere bg-paper">{line}</code><Button
      onclick={() => copy(line, "the line")}
      aria-label={`Copy ${line.split(/[ =]/, 2).join(" ")}`}>Copy</Button
    >
  </p>
{/snippet}

<section class="probe noprint mt-3 px-3.5 pt-2.5 pb-3 border border-hair bg-panel" aria-label="Have a laptop measure">
  <h2 class="mb-1 font-bold">Have a laptop measure</h2>
  <p class="max-w-[90ch]">
    <span class="mono">klammer probe</span> on a laptop with Linux hears which port it is in, asks for an address untagged and in each VLAN,
    asks who answers, tries what is let through, and reports here. It takes no address and changes nothing on the laptop.
    <span class="mono">klammer look</span> does without rights, on Windows and macOS too, what can be done there: say at which port it is. A token
    lets both report the tests of this office and nothing else.
  </p>
  {#if made}
    <div class="made mt-2.5 py-0.5 pl-3 border-l-3 border-plum" role="status">
      <p class="max-w-[90ch]"><b>This token is shown once.</b> On the laptop, at each place:</p>
      {#each lines as line (line)}{@render typed(line)}{/each}
      {#if here}
        <p class="max-w-[90ch] text-soft text-[13px]">This server answers on its own machine only. On a laptop, forward its port first:</p>
        {@render typed(`ssh -L ${location.port}:${location.host} you@this-server`)}
      {/if}
      <Button onclick={() => (made = "")}>I have it</Button>
    </div>
  {/if}
  <form class="mt-2.5 gap-y-2 gap-x-3.5 flex flex-wrap items-center" onsubmit={make}>
    <label class="gap-1.5 flex items-baseline"
      >For whom <Input
        type="text"
        name="name"
        class="field"
        required
        maxlength={60}
        autocomplete="off"
        placeholder="Robin’s laptop"
      /></label
    >
    <label class="gap-1.5 flex items-baseline"
      >Lasts <Select placeholder="" name="days" classes={{ select: "field" }}
        ><option value="1">a day</option><option value="7" selected>a week</option><option value="30">a month</option><option value="366"
          >a year</option
        ></Select
      ></label
    >
    {#if me.now.accounts}
      <label class="gap-1.5 flex items-baseline"
        >May <Select placeholder="" name="scope" classes={{ select: "field" }} bind:value={scope}
          ><option value="tests">report tests</option>{#each roles as r (r)}<option value={r}>what a {r} may, for scripts</option
            >{/each}</Select
        ></label
      >
    {/if}
    {#if scope !== "tests"}
      <label class="gap-1.5 flex items-baseline"
        >Your password <Password bind:value={password} required autocomplete="current-password" /></label
      >
    {/if}
    <Button class="main" type="submit">Make a token</Button>
  </form>
  {#if wrong}<p class="mt-1.5 max-w-[90ch] text-red" role="alert">{wrong}</p>{/if}
  {#if now?.tokens.length}
    <ul class="mt-2.5">
      {#each now.tokens as t (t.id)}
        <li class="py-1 border-t border-hair gap-y-1 gap-x-2.5 flex flex-wrap items-baseline" class:ended={t.ended}>
          <b>{t.name}</b>
          <span class="text-soft text-[13px]"
            >{t.scope === "tests" ? "" : `what a ${t.scope} may, `}{t.ended ? "ended" : "until"}
            {day(t.expires)}, made by {t.author}, {t.used ? `last used ${since(t.used)}` : "never used"}</span
          >
          <Sure
            question={`End the token of ${t.name}? What it reported stays.`}
            says="End"
            label={`End the token of ${t.name}`}
            onyes={() => void ask(api.tokenEnd(id, t.id))}
          />
        </li>
      {/each}
    </ul>
  {/if}
</section>

<style>
  li :global(button) {
    margin-left: auto;
  }
  li.ended b {
    color: var(--soft);
    font-weight: 400;
  }
</style>
