<script lang="ts">
  import { api, Refused, type CredentialRequest, type Readings } from "../api/client";
  import { office } from "../state/office.svelte";
  import { since } from "../state/seen.svelte";

  let { now, ask }: { now: Readings; ask: (what: Promise<unknown>) => Promise<void> } = $props();

  let kind = $state<"" | "v2c" | "v3" | "ssh">("");
  let wrong = $state("");
  const id = $derived(office.view!.id);
  const named = $derived([
    ...new Set((office.view?.devices ?? []).flatMap((d) => d.speaks ?? []).flatMap((s) => / with (\S+)/.exec(s)?.[1] ?? [])),
  ]);
  const missing = $derived(named.filter((n) => !now.credentials.some((c) => c.name === n)));

  async function keep(e: SubmitEvent) {
    e.preventDefault();
    const form = e.currentTarget as HTMLFormElement;
    const { hosts, ...rest } = Object.fromEntries([...new FormData(form)].filter(([, v]) => v !== "")) as Record<string, string>;
    const said = { ...rest, hosts: (hosts ?? "").split(/[\s,;]+/).filter(Boolean) } as unknown as CredentialRequest;
    wrong = kind === "ssh" && !said.password && !said.key ? "A user of SSH has a password or a private key." : "";
    if (wrong) return;
    try {
      await api.putCredential(id, said);
      form.reset();
      kind = "";
      await ask(Promise.resolve());
    } catch (e) {
      wrong = e instanceof Error ? e.message : String(e);
      const field = e instanceof Refused && e.field ? form.elements.namedItem(e.field) : null;
      if (!(field instanceof HTMLElement)) return;
      field.setAttribute("aria-invalid", "true");
      field.focus();
    }
  }
</script>

<section>
  <h2>Credentials</h2>
  {#each now.credentials as c (c.name)}
    <div class="one">
      <p>
        <b class="mono">{c.name}</b>
        {c.kind}{c.user ? `, as ${c.user}` : ""} <span class="soft">{c.author}, {since(c.at)}</span>
        <small class={c.hosts?.length ? "soft" : "warn"}
          >sent to {#if c.hosts?.length}<span class="mono">{c.hosts.join(", ")}</span> alone{:else}wherever a device is said to be{/if}</small
        >
      </p>
      <button
        onclick={() => confirm(`Forget the credentials ${c.name}?`) && ask(api.dropCredential(id, c.name))}
        aria-label={`Forget ${c.name}`}>Forget</button
      >
    </div>
  {/each}
  {#each missing as m (m)}<p class="warn">A device speaks with <b class="mono">{m}</b>, which is not kept here.</p>{/each}
  {#if !now.sealed}
    <p class="soft">This server was started without a key for its secrets: it keeps none.</p>
  {:else if !kind}
    <p class="add">
      Keep <button onclick={() => (kind = "v2c")}>a community (SNMP v2c)</button>
      <button onclick={() => (kind = "v3")}>a user of SNMP v3</button>
      <button onclick={() => (kind = "ssh")}>a user of SSH</button>
    </p>
  {:else}
    <form onsubmit={keep} oninput={(e) => (e.target as HTMLElement).removeAttribute("aria-invalid")}>
      <label>Name <input type="text" name="name" required maxlength="64" value={missing[0] ?? ""} autocomplete="off" /></label>
      {#if kind === "v2c"}
        <label>Community <input name="community" type="password" required autocomplete="off" /></label>
      {:else}
        <label>User <input type="text" name="user" required autocomplete="off" /></label>
        {#if kind === "v3"}
          <label
            >Authentication <select name="auth"
              ><option>SHA-256</option><option>SHA</option><option>SHA-384</option><option>SHA-512</option></select
            ></label
          >
          <label>its key <input name="authKey" type="password" required minlength="8" autocomplete="off" /></label>
          <label>Privacy <select name="privacy"><option>AES</option><option>AES-256</option><option value="">none</option></select></label>
          <label>its key <input name="privacyKey" type="password" minlength="8" autocomplete="off" /></label>
        {:else}
          <label>Password <input name="password" type="password" autocomplete="off" /></label>
          <label>or private key <textarea name="key" rows="3" class="mono" autocomplete="off"></textarea></label>
          <label>The host's key <input type="text" name="hostKey" class="mono" placeholder="SHA256:…" autocomplete="off" /></label>
        {/if}
      {/if}
      <label
        >Sent to <input
          type="text"
          name="hosts"
          class="mono"
          value={now.places.join(", ")}
          placeholder="10.0.0.0/24, 10.0.1.2"
          autocomplete="off"
        /></label
      >
      {#if wrong}<p class="warn" role="alert">{wrong}</p>{/if}
      <p><button class="main" type="submit">Keep</button> <button type="button" onclick={() => (kind = "")}>Leave</button></p>
      <p class="soft">
        What is kept is sealed, used to speak to devices at these addresses and nowhere else, and never shown again. Without any it goes
        wherever the plan says that a device is.
      </p>
    </form>
  {/if}
</section>

<style>
  section {
    margin-top: 18px;
  }
  .one {
    display: flex;
    align-items: center;
    justify-content: space-between;
    gap: 8px;
    padding: 3px 0;
    border-bottom: 1px solid var(--hair);
  }
  small {
    display: block;
    font-size: 13px;
  }
  .soft {
    color: var(--soft);
    font-size: 13px;
  }
  .add {
    margin-top: 6px;
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
    align-items: baseline;
  }
  .warn {
    color: var(--red);
  }
  form {
    display: grid;
    gap: 6px;
    margin-top: 8px;
  }
  input,
  select,
  textarea {
    font-size: 13px;
    padding: 4px 8px;
    border: 1px solid var(--hair);
    background-color: var(--panel);
    color: var(--ink);
    min-width: 0;
  }
  form :global([aria-invalid="true"]) {
    border-color: var(--red);
  }
  label {
    display: grid;
    grid-template-columns: 130px minmax(0, 1fr);
    align-items: center;
    gap: 8px;
  }
</style>
