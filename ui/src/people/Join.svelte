<script lang="ts">
  import { Button, Input } from "flowbite-svelte";
  import Door from "./Door.svelte";
  import Password from "./Password.svelte";
  import { api, type Invited } from "../api/client";
  import { me } from "../state/me.svelte";
  import { place } from "../state/place.svelte";

  const secret = location.hash.slice(1);
  let to = $state.raw<Invited | null>(null);
  let name = $state("");
  let password = $state("");
  let wrong = $state("");
  let busy = $state(false);
  const may: Record<string, string> = {
    reader: "look at",
    planner: "plan",
    technician: "look at, and carry out,",
    carrier: "plan, and carry out,",
    keeper: "keep",
  };

  $effect(() => {
    history.replaceState(null, "", "/join"); // the link is in no history, and in no picture of the screen
    api.invited(secret).then(
      (v) => (to = v),
      (e) => (wrong = e instanceof Error ? e.message : String(e)),
    );
  });

  async function join(e: SubmitEvent) {
    e.preventDefault();
    busy = true;
    wrong = "";
    try {
      me.take(await api.join(secret, name, password));
      place.go("/", true);
    } catch (e) {
      wrong = e instanceof Error ? e.message : String(e);
    }
    busy = false;
  }
</script>

<Door>
  <form onsubmit={join}>
    <h1>Make an account</h1>
    {#if to}
      <p>{to.by} lets you {may[to.role] ?? to.role} <b>{to.office || "every office here"}</b>.</p>
      <label for="join-name">Name, as it stands beside what you do</label>
      <!-- svelte-ignore a11y_autofocus -->
      <Input id="join-name" class="field" bind:value={name} maxlength={60} required autocomplete="username" autofocus />
      <label for="join-password">Password, of 12 letters or more</label>
      <Password
        id="join-password"
        bind:value={password}
        minlength={12}
        maxlength={256}
        required
        autocomplete="new-password"
        aria-describedby="join-wrong"
      />
    {/if}
    <p id="join-wrong" class="wrong" role="alert">{wrong}</p>
    {#if to}<Button type="submit" class="main" disabled={busy}>Make it, and come in</Button>{/if}
  </form>
</Door>
