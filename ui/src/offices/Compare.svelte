<script lang="ts">
  import { Button, Select } from "flowbite-svelte";
  import { api, type Comparison } from "../api/client";
  import { office } from "../state/office.svelte";
  import { place } from "../state/place.svelte";
  import Differs from "./Differs.svelte";

  const other = $derived(Number(place.now.query.get("with")) || 0);
  const list = $derived(office.offices.filter((o) => o.id !== office.view?.id));
  let found = $state.raw<Comparison | null>(null);
  let problem = $state("");

  $effect(() => {
    const view = office.view;
    if (!view || !other) return;
    void view.revision;
    api.compare(view.id, { with: other }).then(
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
  async function takeOver() {
    if (await office.takeOver(other)) office.notice = { kind: "said", text: "Taken over; Ctrl+Z takes it back." };
  }
</script>

<div class="compare">
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
      <option value="0">another office</option>
      {#each list as o (o.id)}<option value={String(o.id)}>{o.title}</option>{/each}
    </Select>
  </p>
  {#if problem}<p class="wrong" role="alert">{problem}</p>{/if}
  {#if found && found.lines.length && list.find((o) => o.id === other)?.copyOf === office.view?.id}
    <p>
      <Button class="main" id="take-over" onclick={takeOver}>Take what was tried over, as one edit</Button>
      <span class="soft"
        >Only what was changed there since it was copied; what others changed here meanwhile stays, and where both changed the same it is
        told.</span
      >
    </p>
  {/if}
  {#if found}<Differs {found} />{/if}
</div>

<style>
  .compare {
    padding: 18px 28px 40px;
  }
  .soft {
    color: var(--soft);
  }
</style>
