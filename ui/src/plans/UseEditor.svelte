<script lang="ts">
  import { Button, Input } from "flowbite-svelte";
  import Choose from "../choose/Shape.svelte";
  import { count } from "../shell/plural";
  import type { Use } from "../api/client";
  import { hues } from "../state/hues.svelte";
  import { office } from "../state/office.svelte";
  import { pending } from "../state/pending.svelte";

  let { uses }: { uses: Use[] } = $props();

  let typed = $state<Record<string, string>>({});
  let name = $state("");
  let shape = $state("");
  let problem = $state("");

  const text = (u: Use) => typed[u.name] ?? u.shape.text;
  const forget = (n: string) => {
    const { [n]: _, ...rest } = typed;
    typed = rest;
  };
  function write(u: Use, value: string) {
    typed = { ...typed, [u.name]: value };
    if (value.trim() === u.shape.text) pending.clear();
    else pending.draft([`use ${u.name} ${value}`], `use ${u.name} ${value}`, () => forget(u.name));
  }
  function keys(e: KeyboardEvent, u: Use) {
    if (e.key === "Escape") {
      forget(u.name);
      pending.clear();
    }
  }
  async function add() {
    problem = await office.tryLines([`use ${name.trim()} ${shape.trim() || "-"}`]);
    if (!problem) name = shape = "";
  }
</script>

<ul>
  {#each uses as u (u.name)}
    <li>
      <form
        class="mb-1 gap-2 grid grid-cols-[6px_110px_minmax(0,1fr)_auto_64px_auto] items-center narrow:grid-cols-[6px_minmax(0,1fr)_auto_auto_auto]"
        onsubmit={(e) => (e.preventDefault(), void pending.apply())}
      >
        <i class="w-1.5 h-5 bg-[var(--vlan,transparent)]" style:--vlan={hues.of.get(u.shape.untagged[0] ?? u.shape.tagged[0] ?? 0)}></i>
        <b class="mono">{u.name}</b>
        <Input
          class="field mono narrow:row-start-2 narrow:col-span-full"
          value={text(u)}
          oninput={(e) => write(u, (e.currentTarget as HTMLInputElement).value)}
          onkeydown={(e) => keys(e, u)}
          aria-label={`The shape of the use ${u.name}`}
          spellcheck="false"
        />
        <Choose
          label={`the shape of the use ${u.name}`}
          now={{
            untagged: u.shape.untagged[0] ?? 0,
            tagged: u.shape.tagged,
            rest: (u.shape.rest ?? "") as "" | "all" | "needed",
            pvid: u.shape.pvid === u.shape.untagged[0] ? 0 : u.shape.pvid,
          }}
          ontake={(text) => (write(u, text), true)}
        />
        <span class="n text-soft text-[12px]">{count(u.ports, "port")}</span>
        <Button
          type="button"
          aria-label={`Remove the use ${u.name}`}
          data-tip={u.ports ? "ports have it" : "remove it"}
          disabled={u.ports > 0}
          onclick={() => office.edit({ lines: [`-use ${u.name}`] })}>×</Button
        >
      </form>
    </li>
  {/each}
  <li>
    <form
      class="mb-1 gap-2 grid grid-cols-[6px_110px_minmax(0,1fr)_auto_64px_auto] items-center narrow:grid-cols-[6px_minmax(0,1fr)_auto_auto_auto]"
      onsubmit={(e) => (e.preventDefault(), void add())}
    >
      <i class="w-1.5 h-5 bg-[var(--vlan,transparent)]"></i>
      <Input class="field mono name" id="use-name" bind:value={name} placeholder="a new use" aria-label="The name of a new use" />
      <Input
        class="field mono narrow:row-start-2 narrow:col-span-full"
        id="use-shape"
        bind:value={shape}
        placeholder="110 [140]"
        aria-label="Its shape"
        spellcheck="false"
      />
      <Choose label="the shape of the new use" ontake={(text) => ((shape = text), true)} />
      <Button type="submit" disabled={!name.trim()}>Add</Button>
    </form>
  </li>
</ul>
{#if problem}<p class="wrong" role="alert">{problem}</p>{/if}

<style>
  li :global(input) {
    min-width: 0;
  }
</style>
