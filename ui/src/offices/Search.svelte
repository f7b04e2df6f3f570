<!-- What is called so, in every office that one may read. -->
<script lang="ts">
  import { Input } from "flowbite-svelte";
  import { api, type Hit } from "../api/client";
  import { latest } from "../api/latest";

  let text = $state("");
  let hits = $state.raw<Hit[] | null>(null);
  let problem = $state("");
  const newest = latest();
  const most = 60; // the server tells no more at once

  $effect(() => {
    const what = text.trim();
    problem = "";
    if (what.length < 2) return void (hits = null);
    const soon = setTimeout(async () => {
      try {
        hits = await newest(api.search(what));
      } catch (e) {
        problem = e instanceof Error ? e.message : String(e);
      }
    }, 200);
    return () => clearTimeout(soon);
  });

  const where = (h: Hit) => (h.vlan ? `VLAN ${h.vlan}` : [h.device, h.port].filter(Boolean).join(" "));
  const to = (h: Hit) =>
    h.vlan
      ? `/${h.office}/reach?vlan=${h.vlan}`
      : `/${h.office}/devices?device=${encodeURIComponent(h.device ?? "")}${h.port ? `&port=${encodeURIComponent(h.port)}` : ""}`;
</script>

<label class="gap-y-1 gap-x-2.5 flex flex-wrap items-center"
  >Find in every office
  <Input
    class="field w-[min(340px,100%)]!"
    type="search"
    id="search-all"
    bind:value={text}
    placeholder="a name, a socket, a card, a serial number"
  /></label
>
{#if problem}<p class="wrong" role="alert">{problem}</p>{/if}
<div aria-live="polite">
  {#if hits?.length}
    <ul class="my-1.5 border border-hair overflow-auto max-h-75 bg-panel">
      {#each hits as h, i (i)}<li>
          <a class="px-2.5 py-0.75 gap-3 flex hover:bg-plum-wash" href={to(h)}
            ><b>{h.what}</b> <span class="text-soft">{h.what === where(h) ? "" : where(h)}</span><em class="ml-auto text-soft not-italic"
              >{h.title}</em
            ></a
          >
        </li>{/each}
    </ul>
    {#if hits.length >= most}<p class="text-soft">These are the first {most}: say more of it.</p>{/if}
  {:else if hits}<p class="text-soft">Nothing is called so in any of them.</p>{/if}
</div>
