<script lang="ts">
  import { api } from "../api/client";
  import { me } from "../state/me.svelte";
  import { office } from "../state/office.svelte";
  import { passkeys, present } from "./passkeys";
  import { place } from "../state/place.svelte";

  let name = $state("");
  let password = $state("");
  let wrong = $state("");
  let busy = $state(false);

  async function enter(e: SubmitEvent) {
    e.preventDefault();
    busy = true;
    wrong = "";
    try {
      me.take(await api.signIn(name, password));
      void office.open(place.now.office);
    } catch (e) {
      wrong = e instanceof Error ? e.message : String(e);
      password = "";
      document.getElementById("sign-in-password")?.focus();
    }
    busy = false;
  }
  async function byPasskey() {
    busy = true;
    wrong = "";
    try {
      me.take(await present());
      void office.open(place.now.office);
    } catch (e) {
      wrong = e instanceof Error ? e.message : String(e);
    }
    busy = false;
  }
</script>

<main class="door">
  <form onsubmit={enter}>
    <h1>Sign in</h1>
    <label for="sign-in-name">Name</label>
    <!-- svelte-ignore a11y_autofocus -->
    <input id="sign-in-name" class="field" bind:value={name} maxlength="60" required autocomplete="username" autofocus />
    <label for="sign-in-password">Password</label>
    <input
      id="sign-in-password"
      class="field"
      type="password"
      bind:value={password}
      maxlength="1024"
      required
      autocomplete="current-password"
      aria-describedby="sign-in-wrong"
    />
    <p id="sign-in-wrong" class="wrong" role="alert">{wrong}</p>
    <button class="main" disabled={busy}>{busy ? "Signing in…" : "Sign in"}</button>
    {#if passkeys}<button type="button" onclick={byPasskey} disabled={busy}>Sign in with a passkey</button>{/if}
    <p class="soft">No account yet? Whoever keeps the offices here sends a link to make one.</p>
  </form>
</main>

<style>
  .door {
    grid-row: 2 / -1;
    overflow: auto;
    display: grid;
    place-items: start center;
    padding: 9vh 16px 16px;
    background: var(--paper);
  }
  form {
    display: grid;
    gap: 6px;
    width: min(100%, 340px);
    background: var(--panel);
    border: 1px solid var(--hair);
    border-top: 3px solid var(--plum);
    padding: 18px 22px 20px;
  }
  .wrong {
    color: var(--red);
    min-height: 1.4em;
  }
  .soft {
    color: var(--soft);
    font-size: 13px;
    margin-top: 8px;
  }
  label {
    margin-top: 6px;
  }
</style>
