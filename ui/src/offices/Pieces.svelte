<!-- What was tried in a copy, piece by piece: each is taken over or left, and where it was changed here as well, one of both is chosen. -->
<script lang="ts">
  import { Button, Checkbox, Select, Table } from "flowbite-svelte";
  import { api } from "../api/client";
  import { may, only } from "../state/may.svelte";
  import { office } from "../state/office.svelte";
  import { count, word } from "../shell/plural";

  let { from }: { from: number } = $props();

  type Tried = Awaited<ReturnType<typeof api.tried>>;
  let tried = $state.raw<Tried | null>(null);
  let problem = $state("");
  let left = $state<string[]>([]); // keys that are not taken over
  let theirs = $state<string[]>([]); // of those that clash: what was tried is taken

  $effect(() => {
    const view = office.view;
    if (!view) return;
    void view.revision;
    api.tried(view.id, from).then(
      (t) => {
        tried = t;
        problem = "";
      },
      (e) => (problem = e instanceof Error ? e.message : String(e)),
    );
  });
  const pieces = $derived(tried?.pieces ?? []);
  const clashing = $derived(pieces.filter((p) => p.clashes));
  const keys = $derived(pieces.filter((p) => (p.clashes ? theirs.includes(p.key) : !left.includes(p.key))).map((p) => p.key));
  const turn = (list: string[], key: string, on: boolean) => (on ? [...list, key] : list.filter((k) => k !== key));

  /** A statement; of a long one the lines that the other side does not have. */
  function unlike(text: string, other: string): string {
    const lines = text.split("\n");
    if (lines.length < 4) return text || "nothing";
    const theirs = other.split("\n");
    const own = lines.filter((l) => !theirs.includes(l));
    return [...own, `${own.length ? "and " : ""}${count(lines.length - own.length, "line")} as there`].join("\n");
  }

  async function take() {
    if (!tried) return;
    const n = keys.length;
    if (await office.takeOver(from, { seen: tried.revision, keys }))
      office.notice = { kind: "said", text: `${count(n, "piece")} taken over; Ctrl+Z takes ${word(n, "it", "them")} back.` };
  }
</script>

{#if problem}<p class="wrong" role="alert">{problem}</p>{/if}
{#if tried && !pieces.length}
  <p>All that was tried there is so here already.</p>
{:else if tried}
  <section class="panel mx-0 mt-2 mb-4.5" aria-label="What was tried there">
    <h2 class="mb-1 font-bold">What was tried there</h2>
    {#if clashing.length}
      <p>
        {count(clashing.length, "piece")}
        {word(clashing.length, "was", "were")} changed here as well since it was copied: choose what stays.
      </p>
    {/if}
    <Table class="listed">
      <thead><tr><th>Take</th><th>What</th><th>Here</th><th>Tried there</th></tr></thead>
      <tbody>
        {#each pieces as p (p.key)}
          <tr data-piece={p.key}>
            <td>
              {#if p.clashes}
                <Select
                  placeholder=""
                  classes={{ select: "field" }}
                  aria-label={`Which stays of ${p.name}`}
                  value={theirs.includes(p.key) ? "tried" : "here"}
                  onchange={(e) => (theirs = turn(theirs, p.key, e.currentTarget.value === "tried"))}
                  ><option value="here">as here</option><option value="tried">as tried</option></Select
                >
              {:else}
                <Checkbox
                  aria-label={`Take ${p.name} over`}
                  checked={!left.includes(p.key)}
                  onchange={(e) => (left = turn(left, p.key, !e.currentTarget.checked))}
                />
              {/if}
            </td>
            <td
              ><b>{p.name}</b>{#if p.clashes}<span class="wrong note block text-[12px]">changed here too{p.by ? `: ${p.by}` : ""}</span
                >{/if}</td
            >
            <td class="mono text-[12px] whitespace-pre-wrap wrap-anywhere">{unlike(p.here, p.tried)}</td>
            <td class="mono text-[12px] whitespace-pre-wrap wrap-anywhere">{unlike(p.tried, p.here)}</td>
          </tr>
        {/each}
      </tbody>
    </Table>
    <p class="acts mt-2">
      <Button class="main" id="take-over" disabled={!keys.length} onclick={take} {...only(may.plan)}
        >Take {keys.length} of {pieces.length} over, as one edit</Button
      >
    </p>
  </section>
{/if}

<style>
  td :global(select) {
    width: 96px;
  }
</style>
