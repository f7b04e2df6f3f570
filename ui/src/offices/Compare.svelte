<script lang="ts">
  import { Input, Select } from "flowbite-svelte";
  import { api, type Comparison } from "../api/client";
  import { office } from "../state/office.svelte";
  import { place } from "../state/place.svelte";
  import Pieces from "./Pieces.svelte";
  import Differs from "./Differs.svelte";

  const other = $derived(Number(place.now.query.get("with")) || 0);
  // Without another office: this one at a revision, and at another; now where none is said.
  const to = $derived(Number(place.now.query.get("to")) || 0);
  const at = $derived(Number(place.now.query.get("at")) || 0);
  const newest = $derived(office.view?.revision ?? 0);
  const list = $derived(office.offices.filter((o) => o.id !== office.view?.id));
  let found = $state.raw<Comparison | null>(null);
  let problem = $state("");

  $effect(() => {
    const view = office.view;
    if (!view || !(other || to || at)) return;
    void view.revision;
    api.compare(view.id, other ? { with: other } : { at: at || undefined, to: to || view.revision }).then(
      (c) => {
        found = c;
        problem = "";
      },
      (e) => {
        found = null;
        problem = e instanceof Error ? e.message : String(e);
      },
    );
  });
  const copyOf = $derived(list.find((o) => o.id === other)?.copyOf);
  const source = $derived(office.offices.find((o) => o.id === office.view?.id)?.copyOf); // where this one is the copy
</script>

<div class="compare px-7 pt-4.5 pb-10">
  <h1>Compare</h1>
  <p class="lead">
    From {office.view?.title} to
    <Select
      placeholder=""
      classes={{ select: "field" }}
      id="compare-with"
      aria-label="The office to compare with"
      value={String(other)}
      onchange={(e) => place.go(place.href("compare", { with: e.currentTarget.value }), true)}
    >
      <option value="0">{at || to ? "itself" : "another office"}</option>
      {#each list as o (o.id)}<option value={String(o.id)}>{o.title}</option>{/each}
    </Select>
    {#if !other}
      <label class="ml-2 gap-1.5 inline-flex items-center"
        >at revision <Input
          class="field w-21!"
          type="number"
          min="1"
          max={newest}
          value={String(at || newest)}
          onchange={(e) => place.go(place.href("compare", { at: e.currentTarget.value, to: to || newest }), true)}
        /></label
      >
      <label class="ml-2 gap-1.5 inline-flex items-center"
        >and <Input
          class="field w-21!"
          type="number"
          min="1"
          max={newest}
          value={String(to || newest)}
          onchange={(e) => place.go(place.href("compare", { at: at || newest, to: e.currentTarget.value }), true)}
        /></label
      >
    {/if}
  </p>
  {#if problem}<p class="wrong" role="alert">{problem}</p>{/if}
  {#if found && found.lines.length && copyOf && copyOf === office.view?.id}
    <Pieces from={other} />
  {:else if source && source === other}
    <p>
      This is a copy of {list.find((o) => o.id === source)?.title}. What was tried here is taken over from there, piece by piece:
      <a class="underline underline-offset-2" href={`/${source}/compare?with=${office.view?.id}`}>go there and choose</a>
    </p>
  {/if}
  {#if found}<Differs {found} />{/if}
</div>
