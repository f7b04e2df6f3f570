<script lang="ts">
  import { Button, Input } from "flowbite-svelte";
  import { forgetHere } from "../orders/kept.svelte";
  import Password from "./Password.svelte";
  import { api, type Passkey, type Session } from "../api/client";
  import { me } from "../state/me.svelte";
  import { office } from "../state/office.svelte";
  import { make, passkeys } from "./passkeys";
  import { since } from "../state/seen.svelte";

  let list = $state.raw<Session[]>([]);
  let old = $state("");
  let next = $state("");
  let wrong = $state("");
  let changing = $state(false);
  let keys = $state.raw<Passkey[]>([]);
  let naming = $state(false);
  let forgetting = $state.raw<Passkey | null>(null);
  let confirming = $state(false);
  /** What opens the account still, after the password has changed. */
  let still = $state.raw<string[] | null>(null);
  let mine = $state("");
  let keyName = $state("");

  /** One form that asks for the password at a time. */
  function only(open: () => void) {
    naming = confirming = false;
    forgetting = null;
    mine = "";
    open();
  }

  async function ask(what: Promise<Session[]>) {
    wrong = "";
    try {
      list = await what;
      return true;
    } catch (e) {
      wrong = e instanceof Error ? e.message : String(e);
      return false;
    }
  }
  async function askKeys(what: Promise<Passkey[]>) {
    wrong = "";
    try {
      keys = await what;
      return true;
    } catch (e) {
      wrong = e instanceof Error ? e.message : String(e);
      return false;
    }
  }
  $effect(() => {
    void ask(api.sessions());
    void askKeys(api.passkeys());
  });
  async function addKey(e: SubmitEvent) {
    e.preventDefault();
    const made = await askKeys(make(keyName, mine));
    mine = "";
    if (!made) return;
    keyName = "";
    naming = false;
  }
  async function forget(e: SubmitEvent) {
    e.preventDefault();
    if (forgetting && (await askKeys(api.passkeyDrop(forgetting.id, mine)))) forgetting = null;
    mine = "";
  }

  async function setAlone(e: SubmitEvent) {
    e.preventDefault();
    wrong = "";
    try {
      me.take(await api.passkeysAlone(!me.now.alone, mine));
      confirming = false;
    } catch (e) {
      wrong = e instanceof Error ? e.message : String(e);
    }
    mine = "";
  }

  async function out() {
    const here = list.find((s) => s.here);
    if (here && !(await ask(api.endSession(here.id)))) return;
    forgetHere();
    office.leave();
    me.take({ name: "", accounts: true });
  }
  async function change(e: SubmitEvent) {
    e.preventDefault();
    wrong = "";
    try {
      const opens = await api.password(old, next);
      list = opens.sessions as Session[];
      still = [...opens.passkeys.map((k) => `the passkey ${k}`), ...opens.tokens.map((k) => `the token ${k}`)];
      old = next = "";
      changing = false;
      office.notice = { kind: "said", text: "The password is changed; other sessions ended." };
    } catch (e) {
      wrong = e instanceof Error ? e.message : String(e);
    }
  }
</script>

<section class="mt-4.5" aria-label="You">
  <h2 class="border-b border-ink font-bold">You are {me.now.name}</h2>
  <ul>
    {#each list as s (s.id)}
      <li class="py-1 border-b border-hair gap-y-1 gap-x-2.5 flex flex-wrap items-baseline">
        <span class="wrap-anywhere">{s.here ? "Here" : s.about}</span>
        <span class="text-soft text-[13px]">since {since(s.at)}{s.here ? "" : `, last seen ${since(s.seen)}`}</span>
        {#if s.here}<Button class="ml-auto" onclick={out}>Sign out</Button>
        {:else}<Button class="ml-auto" onclick={() => ask(api.endSession(s.id))} aria-label={`End the session of ${s.about}`}>End</Button
          >{/if}
      </li>
    {/each}
  </ul>
  {#if list.length > 1}<p><Button onclick={() => ask(api.endSession(0))}>End all but this one</Button></p>{/if}
  {#if changing}
    <form class="mt-2 gap-y-1.5 gap-x-3 flex flex-wrap items-end" onsubmit={change}>
      <Input type="text" autocomplete="username" value={me.now.name} hidden />
      <label>Password now <Password bind:value={old} required autocomplete="current-password" /></label>
      <label>New password <Password bind:value={next} required minlength={12} maxlength={256} autocomplete="new-password" /></label>
      <Button type="submit" class="main">Change it</Button>
      <Button type="button" onclick={() => (changing = false)}>Leave it</Button>
    </form>
  {:else}
    <p><Button onclick={() => ((changing = true), (still = null))}>Change the password…</Button></p>
  {/if}
  {#if still}
    <p role="status" class="still pl-3 border-l-3 border-plum">
      {still.length
        ? `The password is changed, and other sessions ended. Beside it, these act in your name still: ${still.join(", ")}. End those that are not yours.`
        : "The password is changed, and other sessions ended. Nothing else opens your account."}
    </p>
  {/if}
  <h3 class="mt-3 font-[650]">Passkeys</h3>
  <ul>
    {#each keys as k (k.id)}
      <li class="py-1 border-b border-hair gap-y-1 gap-x-2.5 flex flex-wrap items-baseline">
        <span class="wrap-anywhere">{k.name}</span>
        <span class="text-soft text-[13px]">since {since(k.at)}, {k.used ? `last used ${since(k.used)}` : "never used"}</span>
        <Button class="ml-auto" onclick={() => only(() => (forgetting = k))} aria-label={`Forget the passkey ${k.name}`}>Forget…</Button>
      </li>
    {/each}
  </ul>
  {#if forgetting}
    <form class="mt-2 gap-y-1.5 gap-x-3 flex flex-wrap items-end" onsubmit={forget}>
      <label
        >Your password, to forget {forgetting.name}
        <Password name="mine" bind:value={mine} required autocomplete="current-password" /></label
      >
      <Button type="submit" class="main">Forget it</Button>
      <Button type="button" onclick={() => (forgetting = null)}>Leave it</Button>
    </form>
  {/if}
  {#if !passkeys}
    <p class="text-soft text-[13px]">Passkeys are for names: open this server by the name that its certificate has.</p>
  {:else if naming}
    <form class="mt-2 gap-y-1.5 gap-x-3 flex flex-wrap items-end" onsubmit={addKey}>
      <!-- svelte-ignore a11y_autofocus -->
      <label
        >Known by <Input
          class="field"
          name="passkey"
          bind:value={keyName}
          required
          maxlength={60}
          placeholder="this laptop"
          autocomplete="off"
          autofocus
        /></label
      >
      <label>Your password <Password name="mine" bind:value={mine} required autocomplete="current-password" /></label>
      <Button type="submit" class="main">Make it</Button>
      <Button type="button" onclick={() => (naming = false)}>Leave it</Button>
    </form>
  {:else}
    <p><Button onclick={() => only(() => (naming = true))}>Make a passkey…</Button></p>
  {/if}
  {#if keys.length}
    <p>
      {me.now.alone ? "Passkeys alone open your account." : "Your password opens your account, too."}
      {#if !confirming}<Button onclick={() => only(() => (confirming = true))}
          >{me.now.alone ? "Let the password open it, too…" : "Let passkeys alone open it…"}</Button
        >{/if}
    </p>
    {#if confirming}
      <form class="mt-2 gap-y-1.5 gap-x-3 flex flex-wrap items-end" onsubmit={setAlone}>
        <p class="text-soft text-[13px]">
          {me.now.alone
            ? "Who learns the password can sign in then."
            : keys.length === 1
              ? "Without the device of this one passkey nobody comes in: make a second one, on another device, or a keeper has to invite you anew."
              : "Who learns the password cannot sign in with it then."}
        </p>
        <label>Your password <Password name="mine" bind:value={mine} required autocomplete="current-password" /></label>
        <Button type="submit" class="main">{me.now.alone ? "Let the password open it, too" : "Passkeys alone"}</Button>
        <Button type="button" onclick={() => (confirming = false)}>Leave it</Button>
      </form>
    {/if}
  {/if}
  {#if wrong}<p class="wrong text-red" role="alert">{wrong}</p>{/if}
</section>

<style>
  p {
    margin-top: 8px;
  }
</style>
