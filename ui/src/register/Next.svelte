<script lang="ts">
  import { Button, Input, Textarea } from "flowbite-svelte";
  import { latest } from "../api/latest";
  import { api, Refused, type Proposal } from "../api/client";
  import { office } from "../state/office.svelte";
  import { place } from "../state/place.svelte";

  let name = $state("");
  let vid = $state<number | undefined>();
  let text = $state("");
  let proposal = $state.raw<Proposal | null>(null);
  let problem = $state({ field: "", text: "" });
  let timer: ReturnType<typeof setTimeout> | undefined;
  const newest = latest();

  function ask() {
    clearTimeout(timer);
    newest.drop();
    if (!name.trim()) {
      proposal = null;
      text = "";
      problem = { field: "", text: "" };
      return;
    }
    timer = setTimeout(async () => {
      try {
        const p = await newest(api.propose(office.view!.id, name.trim(), vid ?? 0));
        proposal = p;
        text = p.lines.join("\n");
        problem = { field: "", text: "" };
      } catch (e) {
        proposal = null;
        problem = { field: e instanceof Refused ? e.field : "", text: e instanceof Error ? e.message : String(e) };
      }
    }, 100);
  }
  async function add() {
    if (!proposal) return;
    const at = proposal.vid;
    const said = await office.tryLines(text.split("\n").filter((l) => l.trim()));
    if (said) return (problem = { field: "text", text: said });
    name = "";
    vid = undefined;
    ask();
    place.go(place.href("register", { vlan: at }), true);
  }
</script>

<form class="next mb-3 gap-y-2 gap-x-3 flex flex-wrap items-center" onsubmit={(e) => (e.preventDefault(), void add())}>
  <label class="gap-2 flex whitespace-nowrap items-center"
    >The next one <Input
      class="field mono"
      id="next-name"
      placeholder="its name"
      bind:value={name}
      oninput={ask}
      aria-invalid={problem.field === "name"}
      aria-describedby="next-problem"
    /></label
  >
  <label class="gap-2 flex whitespace-nowrap items-center"
    >VID <Input
      class="field mono vid w-21!"
      type="number"
      min="1"
      max="4094"
      placeholder={proposal ? String(proposal.vid) : "next"}
      bind:value={vid}
      oninput={ask}
      aria-invalid={problem.field === "vid"}
    /></label
  >
  <Button type="submit" class="main" disabled={!proposal}>Add</Button>
  <p class="wrong" id="next-problem" role="alert">{problem.text}</p>
  {#if proposal}
    <div class="proposed w-full text-[13px] text-soft">
      <p>
        {proposal.like ? `Like VLAN ${proposal.like}, by the habit of this office` : "Nothing to be like yet"}; change what is to be
        otherwise:
      </p>
      <Textarea
        class="field mono w-full text-[12.5px] leading-[1.43]"
        rows={proposal.lines.length}
        bind:value={text}
        aria-label="What will be added, in notation"
        spellcheck="false"
      ></Textarea>
    </div>
  {/if}
</form>
