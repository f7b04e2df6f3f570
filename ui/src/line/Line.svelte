<script lang="ts">
  import { tick } from "svelte";
  import { count } from "../shell/plural";
  import { office } from "../state/office.svelte";
  import { pending } from "../state/pending.svelte";
  import { views } from "../state/place.svelte";
  import { accept, complete } from "./complete";
  import { finds, states } from "./find";
  import { go } from "./go";
  import { past } from "./past.svelte";

  let field: HTMLInputElement;
  let caret = $state(0);
  let focused = $state(false);

  const fits = $derived(office.view && focused && pending.text ? complete(pending.text, caret, office.view) : { from: 0, options: [] });
  /** Where something is called so, when what is typed is no statement, goes nowhere and completes to nothing. */
  const found = $derived.by(() => {
    if (!office.view || !focused || pending.op || fits.options.length || states(pending.text, office.view)) return [];
    return (views as readonly string[]).includes(pending.text.trim()) ? [] : finds(pending.text, office.view);
  });
  const foretold = $derived.by(() => {
    const p = pending.preview;
    if (!p) return "";
    if (!p.edit) return "nothing would change";
    const goes = count(p.go.length, "finding goes away", "findings go away");
    return [count(p.ports, "port changes", "ports change"), count(p.come.length, "new finding"), goes, "Enter applies"].join(" · ");
  });
  const wrongAt = $derived(pending.mistakes[0]?.line === 1 ? pending.mistakes[0].column : 0);

  function set(text: string, at = text.length) {
    pending.text = text;
    pending.typed();
    caret = at;
    void tick().then(() => field.setSelectionRange(at, at));
  }
  const back = () => (document.getElementById("board") ?? field).focus();

  async function enter() {
    const text = pending.text.trim();
    const went = text ? go(text) || (found.length > 0 && go(`go ${found[0]!.at}`)) : false;
    if (typeof went === "string") {
      pending.problem = went; // and what was typed stays
      return;
    }
    if (went) {
      past.add(text);
      pending.clear();
      return;
    }
    if (text) past.add(text);
    if (pending.op || text) back(); // at once: what is typed next is meant for the board
    if (!(await pending.apply()) && (pending.op || pending.text)) field.focus();
  }
  function keys(e: KeyboardEvent) {
    switch (e.key) {
      case "Enter":
        void enter();
        break;
      case "Escape":
        pending.clear();
        back();
        break;
      case "Tab":
        if (e.shiftKey || !fits.options.length) return;
        put(fits.options[0]!);
        break;
      case "ArrowUp":
      case "ArrowDown": {
        const text = past.turn(e.key === "ArrowUp" ? 1 : -1, pending.text);
        if (text === null) return;
        set(text);
        break;
      }
      default:
        return;
    }
    e.preventDefault();
  }
  function put(option: string) {
    const done = accept(pending.text, caret, fits, option);
    set(done.text, done.caret);
    field.focus();
  }
</script>

<form class="line mono px-4 gap-3 relative flex items-center bg-bar text-bar-ink text-[14px]" onsubmit={(e) => e.preventDefault()}>
  <label for="line"><span class="sr-only">The line</span>›</label>
  <div class="type relative flex-[1_1_320px] min-w-50">
    <input
      class="px-0.5 py-1 border-0 w-full bg-transparent text-inherit [font:inherit] focus:border-b focus:border-bar-soft focus:shadow-none focus:outline-0!"
      id="line"
      bind:this={field}
      bind:value={pending.text}
      oninput={() => {
        caret = field.selectionStart ?? 0;
        pending.typed();
      }}
      onkeyup={() => (caret = field.selectionStart ?? 0)}
      onclick={() => (caret = field.selectionStart ?? 0)}
      onfocus={() => (focused = true)}
      onblur={() => (focused = false)}
      onkeydown={keys}
      placeholder={pending.says || "type a statement: ward-west 5-6: 130, or what to find: A-12"}
      class:waiting={pending.op}
      autocomplete="off"
      spellcheck="false"
      aria-describedby="foretold fits"
    />
    {#if wrongAt && !found.length}<i
        class="wrong absolute bottom-0.5 w-[1ch] h-0.75 bg-bar-red pointer-events-none"
        style:left={`calc(${wrongAt - 1}ch + 2px)`}
      ></i>{/if}
  </div>
  {#if fits.options.length && !pending.op}
    <div class="fits px-1.5 py-1 gap-0.5 absolute left-10 bottom-full flex bg-bar rounded-t-[3px]" id="fits">
      <span class="sr-only">Tab completes:</span>
      {#each fits.options.slice(0, 6) as o, i (o)}
        <button
          class="px-2 py-px min-h-6 text-bar-soft rounded-[2px]"
          type="button"
          tabindex="-1"
          class:first={i === 0}
          onmousedown={(e) => e.preventDefault()}
          onclick={() => put(o)}>{o}</button
        >
      {/each}
    </div>
  {/if}
  {#if found.length}
    <div
      class="fits found px-1.5 py-1 gap-0.5 absolute left-10 bottom-full flex bg-bar rounded-t-[3px] flex-col items-stretch"
      aria-label="Found"
    >
      {#each found as f (f)}
        <button
          class="px-2 py-px gap-4 min-h-6 text-bar-soft rounded-[2px] flex justify-between text-left whitespace-nowrap"
          type="button"
          tabindex="-1"
          class:first={f === found[0]}
          onmousedown={(e) => e.preventDefault()}
          onclick={() => (go(`go ${f.at}`), pending.clear())}
          >{f.what}{#if f.what !== f.at}<i class="not-italic opacity-75">{f.at.replace(".", " ")}</i>{/if}</button
        >
      {/each}
    </div>
  {/if}
  <output
    class="overflow-hidden flex-[0_1_auto] max-w-[62%] text-[12.5px] text-bar-soft line-clamp-2"
    id="foretold"
    class:problem={pending.problem && !found.length}
    data-tip={pending.problem}>{found.length ? `Enter goes to ${found[0]!.at.replace(".", " ")}` : pending.problem || foretold}</output
  >
</form>

<style>
  input::placeholder {
    color: var(--bar-soft);
    opacity: 1;
  }
  .waiting::placeholder {
    color: var(--bar-ink);
  }
  .fits .first,
  .fits button:hover {
    color: var(--bar-ink);
    background: color-mix(in oklab, var(--bar-ink) 16%, transparent);
  }
  .problem {
    color: var(--bar-red);
  }
</style>
