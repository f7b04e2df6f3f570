<script lang="ts">
  import Sure from "../shell/Sure.svelte";
  import { Button, Input, Label, Select, Textarea } from "flowbite-svelte";
  import { api, Refused, type CredentialRequest, type Readings } from "../api/client";
  import { office } from "../state/office.svelte";
  import { since } from "../state/seen.svelte";

  let { now, ask }: { now: Readings; ask: (what: Promise<unknown>) => Promise<void> } = $props();

  type Kind = "v2c" | "v3" | "ssh" | "tls";
  const kinds: [Kind, string][] = [
    ["v2c", "a community (SNMP v2c)"],
    ["v3", "a user of SNMP v3"],
    ["ssh", "a user of SSH"],
    ["tls", "a certificate (OVSDB)"],
  ];
  let kind = $state<"" | Kind>("");
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

{#snippet field(name: string, says: string, more: { mono?: boolean } & Record<string, unknown> = {})}
  {@const { mono, ...rest } = more}
  <div class="asked gap-2 grid grid-cols-[130px_minmax(0,1fr)] items-center">
    <Label for={`credential-${name}`}>{says}</Label>
    <Input id={`credential-${name}`} type="text" {name} size="sm" autocomplete="off" class="field {mono ? 'mono' : ''}" {...rest} />
  </div>
{/snippet}
{#snippet text(name: string, says: string)}
  <div class="asked gap-2 grid grid-cols-[130px_minmax(0,1fr)] items-center">
    <Label for={`credential-${name}`}>{says}</Label>
    <Textarea id={`credential-${name}`} {name} rows={3} autocomplete="off" class="field mono w-full" />
  </div>
{/snippet}
{#snippet choice(name: string, says: string, of: string[])}
  <div class="asked gap-2 grid grid-cols-[130px_minmax(0,1fr)] items-center">
    <Label for={`credential-${name}`}>{says}</Label>
    <Select
      id={`credential-${name}`}
      {name}
      size="sm"
      classes={{ select: "py-1" }}
      placeholder=""
      items={of.map((value) => ({ value, name: value || "none" }))}
      value={of[0]}
    />
  </div>
{/snippet}

<section class="mt-4.5">
  <h2>Credentials</h2>
  {#each now.credentials as c (c.name)}
    <div class="one py-0.75 border-b border-hair gap-2 flex items-center justify-between">
      <p>
        <b class="mono">{c.name}</b>
        {c.kind}{c.user ? `, as ${c.user}` : ""} <span class="soft">{c.author}, {since(c.at)}</span>
        <small class={["block text-[13px]", c.hosts?.length ? "soft" : "warn"]}
          >sent to {#if c.hosts?.length}<span class="mono">{c.hosts.join(", ")}</span> alone{:else}wherever a device is said to be{/if}</small
        >
      </p>
      <Sure
        question={`Forget the credentials ${c.name}?`}
        says="Forget"
        label={`Forget ${c.name}`}
        onyes={() => void ask(api.dropCredential(id, c.name))}
      />
    </div>
  {/each}
  {#each missing as m (m)}<p class="warn">A device speaks with <b class="mono">{m}</b>, which is not kept here.</p>{/each}
  {#if !now.sealed}
    <p class="soft">This server was started without a key for its secrets: it keeps none.</p>
  {:else if !kind}
    <p class="add mt-1.5 gap-1.5 flex flex-wrap items-baseline">
      Keep
      {#each kinds as [is, says] (is)}<Button size="xs" color="alternative" onclick={() => (kind = is)}>{says}</Button>{/each}
    </p>
  {:else}
    <form class="mt-2 gap-1.5 grid" onsubmit={keep} oninput={(e) => (e.target as HTMLElement).removeAttribute("aria-invalid")}>
      {@render field("name", "Name", { value: missing[0] ?? "", required: true, maxlength: 64 })}
      {#if kind === "v2c"}
        {@render field("community", "Community", { type: "password", required: true })}
      {:else if kind === "tls"}
        {@render text("cert", "Certificate, PEM")}
        {@render text("key", "its private key")}
        {@render field("hostKey", "The server's certificate", { placeholder: "SHA256:…", mono: true })}
      {:else}
        {@render field("user", "User", { required: true })}
        {#if kind === "v3"}
          {@render choice("auth", "Authentication", ["SHA-256", "SHA", "SHA-384", "SHA-512"])}
          {@render field("authKey", "its key", { type: "password", required: true, minlength: 8 })}
          {@render choice("privacy", "Privacy", ["AES", "AES-256", ""])}
          {@render field("privacyKey", "its key", { type: "password", minlength: 8 })}
        {:else}
          {@render field("password", "Password", { type: "password" })}
          {@render text("key", "or private key")}
          {@render field("hostKey", "The host's key", { placeholder: "SHA256:…", mono: true })}
        {/if}
      {/if}
      {@render field("hosts", "Sent to", { value: now.places.join(", "), placeholder: "10.0.0.0/24, 10.0.1.2", mono: true })}
      {@render field("timeout", "Time for an answer", { placeholder: "2s; 5s where a device is slow", mono: true, maxlength: 10 })}
      {#if wrong}<p class="warn" role="alert">{wrong}</p>{/if}
      <p class="add mt-1.5 gap-1.5 flex flex-wrap items-baseline">
        <Button type="submit" size="sm" class="main">Keep</Button>
        <Button type="button" size="sm" color="alternative" onclick={() => (kind = "")}>Leave</Button>
      </p>
      <p class="soft">
        What is kept is sealed, used to speak to devices at these addresses and nowhere else, and never shown again. Without any it goes
        wherever the plan says that a device is.
      </p>
    </form>
  {/if}
</section>

<style>
  .soft {
    color: var(--soft);
    font-size: 13px;
  }
  .warn {
    color: var(--red);
  }
  form :global([aria-invalid="true"]) {
    border-color: var(--red);
  }
</style>
