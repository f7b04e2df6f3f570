<!-- What several offices share: uses and plans at a revision; a newer one is offered with what it would change here. -->
<script lang="ts">
  import { Button, Fileupload, Input, Select } from "flowbite-svelte";
  import { api, type Shelf, type ShelfItem } from "../api/client";
  import Kept from "../shell/Kept.svelte";
  import { may, only } from "../state/may.svelte";
  import { me } from "../state/me.svelte";
  import { office } from "../state/office.svelte";
  import { pending } from "../state/pending.svelte";
  import Sure from "../shell/Sure.svelte";

  let shelf = $state.raw<Shelf | null>(null);
  let problem = $state("");
  let name = $state("");
  let what = $state("");
  let note = $state("");
  const id = $derived(office.view?.id ?? 0);
  const plans = $derived(office.shown?.plans ?? []);
  const uses = $derived(office.shown?.uses ?? []);

  async function did(way: Promise<Shelf>) {
    try {
      shelf = await way;
      problem = "";
      return "";
    } catch (e) {
      return (problem = e instanceof Error ? e.message : String(e));
    }
  }
  $effect(() => {
    if (!office.view) return;
    void office.view.revision;
    void did(api.shelf(office.view.id));
  });
  const follow = (i: ShelfItem, revision: number, because = "") => did(api.followShelf(id, { name: i.name, revision, because }));
  const look = (i: ShelfItem) =>
    i.would.length
      ? pending.propose(i.would, `${i.name}, revision ${i.revision} of the shelf`, () => void follow(i, i.revision))
      : void follow(i, i.revision);
  async function put() {
    const [kind, of] = [what.slice(0, 1), what.slice(2)];
    const problem = await did(
      api.shelve(id, {
        name: name.trim() || of,
        note: note.trim() || undefined,
        ...(kind === "p"
          ? { plans: [of] }
          : kind === "u"
            ? { uses: [of] }
            : { plans: plans.map((p) => p.name), uses: uses.map((u) => u.name) }),
      }),
    );
    if (!problem) name = note = "";
  }
  /** A file of uses and plans goes onto the shelf under its own name, or under the one that is typed. */
  async function read(input: HTMLInputElement) {
    const file = input.files?.[0];
    if (!file) return;
    const most = 200_000; // what the server takes
    if (file.size > most) problem = `${file.name} is larger than uses and plans are: at most ${most / 1000} kB. Nothing was changed.`;
    else {
      const wrong = await did(
        api.shelve(id, {
          name: (name.trim() || file.name.replace(/\.klm$/i, "")).slice(0, 60),
          note: note.trim() || undefined,
          text: await file.text(),
        }),
      );
      if (!wrong) name = note = "";
    }
    input.value = "";
  }
  const file = (i: ShelfItem) => `data:text/plain;charset=utf-8,${encodeURIComponent(i.text)}`;
</script>

<h2 class="mt-4.5 mb-1 font-bold">On the shelf</h2>
<p class="lead">
  Uses and plans that several offices share. An office follows one at a revision; a newer one shows what it would change, and may be left.
</p>
{#each shelf?.items ?? [] as i (i.name)}
  <article class="py-2 border-t border-hair" data-shelf={i.name}>
    <p>
      <b>{i.name}</b> revision {i.revision}, from {i.from}{i.note ? `: ${i.note}` : ""}
      <span class="text-soft text-[13px]"
        >{i.follows ? (i.follows === i.revision ? "followed here" : `revision ${i.follows} is followed here`) : "not followed here"}{i
          .others.length
          ? `; also by ${i.others.map((o) => `${o.title} (${o.revision})`).join(", ")}`
          : ""}</span
      >
    </p>
    {#if i.follows && i.departs.length}
      <label class="my-1 gap-2 grid grid-cols-[auto_minmax(120px,1fr)] items-center"
        >departs in {i.departs.join(", ")}
        <Kept
          value={i.because ?? ""}
          placeholder="why?"
          aria-label={`Why this office departs from ${i.name}`}
          onkeep={(text) => follow(i, i.follows, text)}
        /></label
      >
    {/if}
    <span class="acts mt-1.5 gap-2 flex flex-wrap items-center">
      {#if i.would.length || i.follows !== i.revision}<Button onclick={() => look(i)} {...only(may.plan)}
          >{i.would.length ? "Show what it would change…" : "Follow it"}</Button
        >{/if}
      {#if i.follows}<Button onclick={() => follow(i, 0)} {...only(may.plan)}>Follow it no more</Button>{/if}
      <a class="underline underline-offset-2" href={file(i)} download={`${i.name.replace(/[^\w-]+/g, "-")}.klm`}>Save as a file</a>
      {#if me.may("keeper", 0)}<Sure
          question={`Take ${i.name} off the shelf, for all offices?`}
          says="Off the shelf…"
          label={`Take ${i.name} off the shelf`}
          onyes={() => void did(api.unshelve(id, i.name))}
        />{/if}
    </span>
  </article>
{:else}
  {#if shelf}<p class="text-soft text-[13px]">Nothing lies there yet.</p>{/if}
{/each}
<form class="acts mt-1.5 gap-2 flex flex-wrap items-center" onsubmit={(e) => (e.preventDefault(), what && void put())}>
  <label
    >Put there <Select placeholder="" classes={{ select: "field" }} bind:value={what} id="shelf-what"
      ><option value="">a plan or a use</option>{#each plans as p (p.name)}<option value={`p ${p.name}`}
          >plan {p.name}, with its uses</option
        >{/each}{#each uses as u (u.name)}<option value={`u ${u.name}`}>use {u.name}</option>{/each}<option value="a ours"
        >all plans and uses</option
      ></Select
    ></label
  >
  <Input class="field" bind:value={name} id="shelf-name" maxlength={60} placeholder="named as it is" aria-label="Its name on the shelf" />
  <Input class="field" bind:value={note} maxlength={500} placeholder="what is new in it" aria-label="What is new in it" />
  <Button type="submit" disabled={!what} {...only(may.plan)}>Put on the shelf</Button>
  <label
    >or a file <Fileupload
      id="shelf-file"
      accept=".klm,text/plain"
      disabled={!!may.plan}
      onchange={(e) => void read(e.target as HTMLInputElement)}
    /></label
  >
</form>
{#if problem}<p class="wrong" role="alert">{problem}</p>{/if}

<style>
  form :global(input) {
    width: 150px;
  }
  form :global(input[type="file"]) {
    width: 240px;
  }
</style>
