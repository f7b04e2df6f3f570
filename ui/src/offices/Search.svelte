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

<label
  >Find in every office
  <Input class="field" type="search" id="search-all" bind:value={text} placeholder="a name, a socket, a card, a serial number" /></label
>
{#if problem}<p class="wrong" role="alert">{problem}</p>{/if}
<div aria-live="polite">
  {#if hits?.length}
    <ul>
      {#each hits as h, i (i)}<li>
          <a href={to(h)}><b>{h.what}</b> <span>{h.what === where(h) ? "" : where(h)}</span><em>{h.title}</em></a>
        </li>{/each}
    </ul>
    {#if hits.length >= most}<p class="soft">These are the first {most}: say more of it.</p>{/if}
  {:else if hits}<p class="soft">Nothing is called so in any of them.</p>{/if}
</div>

<style>
  label {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 10px;
    align-items: center;
  }
  label :global(input) {
    width: min(340px, 100%);
  }
  ul {
    margin: 6px 0;
    max-height: 300px;
    overflow: auto;
    border: 1px solid var(--hair);
    background: var(--panel);
  }
  a {
    display: flex;
    gap: 12px;
    padding: 3px 10px;
  }
  a:hover {
    background: var(--plum-wash);
  }
  span,
  em,
  .soft {
    color: var(--soft);
  }
  em {
    margin-left: auto;
    font-style: normal;
  }
</style>
