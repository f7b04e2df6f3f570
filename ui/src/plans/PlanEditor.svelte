<script lang="ts">
  import Only from "../shell/Only.svelte";
  import { may, only } from "../state/may.svelte";
  import { Button, Input, Select, Textarea } from "flowbite-svelte";
  import { untrack, type Snippet } from "svelte";
  import type { Plan } from "../api/client";
  import { office } from "../state/office.svelte";
  import { pending } from "../state/pending.svelte";

  let { plan, children }: { plan: Plan; children: Snippet } = $props();

  const body = (p: Plan) =>
    p.text
      .split("\n")
      .slice(1)
      .map((l) => l.trim())
      .join("\n");
  let text = $state("");
  let touched = $state(false);
  let to = $state("");
  let places = $state("");
  let use = $state("");

  $effect(() => {
    const p = plan;
    untrack(() => {
      if (!touched) text = body(p);
    });
  });
  function write() {
    touched = text !== body(plan);
    if (!touched) return pending.clear();
    const lines = text.split("\n").filter((l) => l.trim());
    pending.draft([`plan ${plan.name}`, ...lines.map((l) => `  ${l.trim()}`)], `plan ${plan.name}`, () => (touched = false));
  }
  /** A line more, or the line of these places otherwise. */
  function put() {
    const line = `${places.trim()}: use ${use}`;
    const lines = text.split("\n").filter((l) => l.trim() && l.split(":")[0]!.trim() !== places.trim());
    text = [...lines, line].join("\n");
    places = "";
    write();
  }
  function keys(e: KeyboardEvent) {
    if (e.key === "Enter" && (e.ctrlKey || e.metaKey)) {
      e.preventDefault();
      void pending.apply();
    } else if (e.key === "Escape") {
      touched = false;
      text = body(plan);
      pending.clear();
    }
  }
  const wrong = $derived(
    touched && pending.problem
      ? pending.mistakes.map((m) => `line ${Math.max(1, m.line - 1)}: ${m.text}`).join("\n") || pending.problem
      : "",
  );
</script>

<div class="plan">
  <Textarea
    class="field mono"
    id="plan-text"
    rows={Math.max(4, text.split("\n").length + 1)}
    bind:value={text}
    oninput={write}
    onkeydown={keys}
    aria-label={`The plan ${plan.name}: places and their shapes`}
    aria-describedby="plan-help"
    aria-invalid={!!wrong}
    spellcheck="false"
    {...only(may.plan)}
  ></Textarea>
  <p class="help text-[12.5px] text-soft" id="plan-help">
    A line for some places: <code class="mono">1-4: use desk</code>, <code class="mono">last: 190 [needed]</code>. Ctrl+Enter does it, Esc
    leaves it as it was.
  </p>
  <Only why={may.plan}
    ><form class="mt-1.5 mb-2.5 gap-2 flex narrow:flex-wrap" onsubmit={(e) => (e.preventDefault(), places.trim() && use && put())}>
      <label class="gap-2 flex items-center"
        >Places <Input class="field mono" id="plan-places" bind:value={places} placeholder="1-4" /></label
      >
      <label class="gap-2 flex items-center"
        >are <Select placeholder="" classes={{ select: "field" }} id="plan-use" bind:value={use}
          ><option value="">a use</option>{#each office.shown?.uses ?? [] as u (u.name)}<option>{u.name}</option>{/each}</Select
        ></label
      >
      <Button type="submit" disabled={!places.trim() || !use}>Put in</Button>
    </form></Only
  >
  {#if wrong}<p class="wrong" role="alert">{wrong}</p>{/if}
  {@render children()}
  <Only why={may.plan}
    ><form
      class="mt-1.5 mb-2.5 gap-2 flex"
      onsubmit={(e) => (
        e.preventDefault(),
        to.trim() && void office.edit({ lines: [`rename plan ${plan.name} to ${to.trim()}`] }).then((v) => v && (to = ""))
      )}
    >
      <label class="gap-2 flex items-center">Rename to <Input class="field mono" bind:value={to} /></label>
      <Button type="button" onclick={() => office.edit({ lines: [`-plan ${plan.name}`] })}>Remove</Button>
    </form></Only
  >
</div>

<style>
  .plan :global(textarea) {
    width: 100%;
    line-height: 1.5;
    font-size: 14px;
  }
  .plan :global(input) {
    width: 130px;
  }
</style>
