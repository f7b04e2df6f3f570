<script lang="ts">
  import { Button, Input } from "flowbite-svelte";
  import Door from "./Door.svelte";
  import Password from "./Password.svelte";
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

<Door>
  <form onsubmit={enter}>
    <h1>Sign in</h1>
    <label for="sign-in-name">Name</label>
    <!-- svelte-ignore a11y_autofocus -->
    <Input id="sign-in-name" class="field" bind:value={name} maxlength={60} required autocomplete="username" autofocus />
    <label for="sign-in-password">Password</label>
    <Password
      id="sign-in-password"
      bind:value={password}
      maxlength={1024}
      required
      autocomplete="current-password"
      aria-describedby="sign-in-wrong"
    />
    <p id="sign-in-wrong" class="wrong" role="alert">{wrong}</p>
    <Button type="submit" class="main" disabled={busy}>{busy ? "Signing in…" : "Sign in"}</Button>
    {#if passkeys}<Button type="button" onclick={byPasskey} disabled={busy}>Sign in with a passkey</Button>{/if}
    <p class="soft">No account yet? Whoever keeps the offices here sends a link to make one.</p>
  </form>
</Door>
