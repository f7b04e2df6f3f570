<script lang="ts">
  import { may } from "../state/may.svelte";
  import Only from "../shell/Only.svelte";
  import { Button, Input, Select } from "flowbite-svelte";
  import { api } from "../api/client";
  import { office } from "../state/office.svelte";
  import { place } from "../state/place.svelte";
  import Create from "./Create.svelte";
  import Delete from "./Delete.svelte";
  import Import from "./Import.svelte";
  import { back } from "../state/back";
  import { since } from "../state/seen.svelte";
  import { word } from "../shell/plural";
  import Search from "./Search.svelte";

  let deleting = $state(0);
  let copying = $state(0);
  let title = $state("");
  const list = $derived(office.offices);

  const day = (t: string) => new Date(t).toLocaleDateString(undefined, { dateStyle: "medium" });

  async function copy(id: number) {
    try {
      const made = await api.create({ copy: id, title: title.trim() });
      place.go(`/${made.id}`);
    } catch (e) {
      office.tell(e);
    }
  }
</script>

<main
  class="offices px-7 py-6 gap-7 overflow-auto row-start-2 -row-end-1 bg-paper grid grid-cols-[minmax(0,1fr)_minmax(0,560px)] items-start half:grid-cols-1"
>
  <section>
    <h1>Offices</h1>
    {#if list.length}
      <Search />
      <ul class="mt-2.5 mb-4">
        {#each list as o (o.id)}
          <li class="mb-1.5 px-3 py-2 border border-hair gap-y-2 gap-x-2.5 flex flex-wrap items-center bg-panel" data-office={o.id}>
            <a class="font-[650] flex-[1_1_200px] hover:underline" href={`/${o.id}`}>{o.title}</a>
            <span class="rev text-soft text-[12.5px]">rev {o.revision}</span>
            <span class="gap-x-2.5 gap-y-2 basis-full flex flex-wrap items-center">
              <a class="mono text-soft text-[12.5px] hover:underline" href={`/api/offices/${o.id}/notation?file=1`} download>.klm</a>
              <a class="mono text-soft text-[12.5px] hover:underline" href={`/api/offices/${o.id}/workbook`} download>.xlsx</a>
              <Button onclick={() => ((copying = o.id), (deleting = 0), (title = `${o.title}, what if`))}>What if…</Button>
              {#if list.length > 1}
                <Select
                  placeholder=""
                  classes={{ select: "field" }}
                  aria-label={`Compare ${o.title} with`}
                  onchange={(e) => place.go(`/${o.id}/compare?with=${e.currentTarget.value}`)}
                >
                  <option value="">compare with…</option>
                  {#each list.filter((x) => x.id !== o.id) as x (x.id)}<option value={String(x.id)}>{x.title}</option>{/each}
                </Select>
              {/if}
              <Button onclick={() => ((deleting = o.id), (copying = 0))} aria-label={`Delete ${o.title}`}>Delete…</Button>
            </span>
            {#if o.checked}
              {@const c = o.checked}
              <a
                class="standing gap-x-2.5 flex-[1_0_100%] text-[12.5px] flex flex-wrap text-soft hover:underline"
                href={`/${o.id}/checkup`}
                data-tip={`as at the check-up of ${since(c.at)}`}
                >{#if c.breaks}<b class="wrong">{c.breaks} break</b>{/if}
                {#if c.differs}<b class="wrong">{c.differs} {word(c.differs, "port differs", "ports differ")}</b>{/if}
                {#if c.silent}<b class="wrong">{c.silent} silent</b>{/if}
                {#if !c.breaks && !c.differs && !c.silent}nothing wrong{/if}
                <span>{c.proved ? `proved since ${day(c.proved)}` : "nothing proved"}; checked {day(c.at)}</span></a
              >
            {/if}
            {#if copying === o.id}
              <form class="gap-2 w-full flex flex-wrap items-center" {@attach back} onsubmit={(e) => (e.preventDefault(), void copy(o.id))}>
                <label>A copy to try things on, named <Input class="field w-65!" id="copy-title" bind:value={title} /></label>
                <Button type="submit" class="main" disabled={!title.trim()}>Make it</Button>
                <Button type="button" onclick={() => (copying = 0)}>Cancel</Button>
              </form>
            {/if}
            {#if deleting === o.id}<Delete {o} onclose={() => (deleting = 0)} />{/if}
          </li>
        {/each}
      </ul>
    {:else}
      <p class="lead">None yet. Three questions, and there is a board; or read one from a file.</p>
    {/if}
    <Only why={may.make}><Import /></Only>
  </section>
  <section class="panel"><Only why={may.make}><Create /></Only></section>
</main>

<style>
  /* While somebody's own file is looked at, it has the width. */
  .offices:has(:global(.intake)) {
    grid-template-columns: minmax(0, 1fr);
  }
  .offices :global(select) {
    width: 132px;
    font-size: 13px;
  }
</style>
