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

<main class="offices">
  <section>
    <h1>Offices</h1>
    {#if list.length}
      <Search />
      <ul>
        {#each list as o (o.id)}
          <li data-office={o.id}>
            <a href={`/${o.id}`}>{o.title}</a>
            <span class="rev">rev {o.revision}</span>
            <a class="mono file" href={`/api/offices/${o.id}/notation?file=1`} download>.klm</a>
            <a class="mono file" href={`/api/offices/${o.id}/workbook`} download>.xlsx</a>
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
            {#if o.checked}
              {@const c = o.checked}
              <a class="standing" href={`/${o.id}/checkup`} data-tip={`as at the check-up of ${since(c.at)}`}
                >{#if c.breaks}<b class="wrong">{c.breaks} break</b>{/if}
                {#if c.differs}<b class="wrong">{c.differs} {word(c.differs, "port differs", "ports differ")}</b>{/if}
                {#if c.silent}<b class="wrong">{c.silent} silent</b>{/if}
                {#if !c.breaks && !c.differs && !c.silent}nothing wrong{/if}
                <span>{c.proved ? `proved since ${day(c.proved)}` : "nothing proved"}; checked {day(c.at)}</span></a
              >
            {/if}
            {#if copying === o.id}
              <form {@attach back} onsubmit={(e) => (e.preventDefault(), void copy(o.id))}>
                <label>A copy to try things on, named <Input class="field" id="copy-title" bind:value={title} /></label>
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
  .offices {
    grid-row: 2 / -1;
    overflow: auto;
    background: var(--paper);
    display: grid;
    grid-template-columns: minmax(0, 1fr) minmax(0, 560px);
    gap: 28px;
    padding: 24px 28px;
    align-items: start;
  }
  /* While somebody's own file is looked at, it has the width. */
  .offices:has(:global(.intake)) {
    grid-template-columns: minmax(0, 1fr);
  }
  ul {
    margin: 10px 0 16px;
  }
  li {
    display: flex;
    flex-wrap: wrap;
    gap: 8px 10px;
    align-items: center;
    padding: 8px 12px;
    background: var(--panel);
    border: 1px solid var(--hair);
    margin-bottom: 6px;
  }
  li > a:first-child {
    font-weight: 650;
    flex: 1 1 200px;
  }
  li > a:hover {
    text-decoration: underline;
  }
  .standing {
    flex: 1 0 100%;
    font-size: 12.5px;
    display: flex;
    flex-wrap: wrap;
    gap: 0 10px;
    color: var(--soft);
  }
  .rev,
  .file {
    color: var(--soft);
    font-size: 12.5px;
  }
  .offices :global(select) {
    width: 132px;
    font-size: 13px;
  }
  form {
    width: 100%;
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    align-items: center;
  }
  form :global(input) {
    width: 260px;
  }
  @media (max-width: 1000px) {
    .offices {
      grid-template-columns: minmax(0, 1fr);
    }
  }
</style>
