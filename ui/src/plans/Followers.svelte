<script lang="ts">
  import { may, only } from "../state/may.svelte";
  import { Button, Input } from "flowbite-svelte";
  import type { Device, Port } from "../api/client";
  import Front from "../front/Front.svelte";
  import { jacks } from "../front/front";
  import { quote } from "../line/quote";
  import { hues } from "../state/hues.svelte";
  import { office } from "../state/office.svelte";
  import { pending } from "../state/pending.svelte";

  let { devices }: { devices: Device[] } = $props();

  const exceptions = (d: Device) => d.ports.filter((p) => p.source === "exception");
  // What a waiting change would do to a follower's ports.
  const drawn = (d: Device) => {
    const next = pending.next.get(d.name);
    return jacks(next ?? d).map((j) => (next && pending.port(`${d.name}.${j.bundle ?? j.name}`) ? { ...j, mark: "changed" as const } : j));
  };
  const because = (d: Device, p: Port, why: string) => {
    if (why.trim() !== (p.because ?? ""))
      void office.edit({ lines: [`${d.name} ${quote(p.name)}: ${p.shape}${why.trim() ? ` because ${JSON.stringify(why.trim())}` : ""}`] });
  };
</script>

{#each devices as d (d.name)}
  <article class="mb-3.5">
    <p class="mb-1 gap-2.5 flex items-center">
      <b>{d.name}</b>
      <Button
        class="border-transparent! text-[12px] text-soft! bg-transparent!"
        onclick={() => pending.propose([`-${d.name} follows`])}
        data-tip="It keeps nothing of the plan"
        {...only(may.plan)}>no longer follow…</Button
      >
    </p>
    <Front jacks={drawn(d)} hues={hues.of} label={`${d.name}, a follower`} />
    {#each exceptions(d) as p (p.name)}
      <div
        class="exception mt-1 gap-2 grid grid-cols-[84px_minmax(0,1fr)_minmax(0,1.2fr)_auto] items-center narrow:grid-cols-[84px_minmax(0,1fr)_auto] text-[13px]"
        data-exception={`${d.name}.${p.name}`}
      >
        <span><b class="mono">{p.name}</b> departs</span>
        <span
          ><span class="mono">{p.shape}</span><span class="text-soft">; the plan says</span>
          <span class="mono text-soft">{p.planned}</span></span
        >
        <Input
          class="field narrow:row-start-2 narrow:col-span-full"
          value={p.because ?? ""}
          placeholder="why?"
          aria-label={`Why ${d.name} ${p.name} departs from the plan`}
          onchange={(e) => because(d, p, e.currentTarget.value)}
        />
        <Button onclick={() => pending.propose([`-${d.name} ${quote(p.name)}`])} {...only(may.plan)}>Back to the plan…</Button>
      </div>
    {/each}
  </article>
{:else}
  <p class="text-soft">No device follows it yet.</p>
{/each}

<style>
  article :global(input) {
    min-width: 0;
  }
</style>
