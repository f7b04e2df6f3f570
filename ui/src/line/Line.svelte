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

<form class="line mono" onsubmit={(e) => e.preventDefault()}>
  <label for="line"><span class="sr-only">The line</span>›</label>
  <div class="type">
    <input
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
    {#if wrongAt && !found.length}<i class="wrong" style:left={`calc(${wrongAt - 1}ch + 2px)`}></i>{/if}
  </div>
  {#if fits.options.length && !pending.op}
    <div class="fits" id="fits">
      <span class="sr-only">Tab completes:</span>
      {#each fits.options.slice(0, 6) as o, i (o)}
        <button type="button" tabindex="-1" class:first={i === 0} onmousedown={(e) => e.preventDefault()} onclick={() => put(o)}>{o}</button
        >
      {/each}
    </div>
  {/if}
  {#if found.length}
    <div class="fits found" aria-label="Found">
      {#each found as f (f)}
        <button
          type="button"
          tabindex="-1"
          class:first={f === found[0]}
          onmousedown={(e) => e.preventDefault()}
          onclick={() => (go(`go ${f.at}`), pending.clear())}
          >{f.what}{#if f.what !== f.at}<i>{f.at.replace(".", " ")}</i>{/if}</button
        >
      {/each}
    </div>
  {/if}
  <output id="foretold" class:problem={pending.problem && !found.length} data-tip={pending.problem}
    >{found.length ? `Enter goes to ${found[0]!.at.replace(".", " ")}` : pending.problem || foretold}</output
  >
</form>

<style>
  .line {
    position: relative;
    display: flex;
    align-items: center;
    gap: 12px;
    padding: 0 16px;
    background: var(--bar);
    color: var(--bar-ink);
    font-size: 14px;
  }
  .type {
    position: relative;
    flex: 1 1 320px;
    min-width: 200px;
  }
  input {
    width: 100%;
    background: transparent;
    border: 0;
    padding: 4px 2px;
    color: inherit;
    font: inherit;
  }
  input:focus {
    box-shadow: none;
    outline: 0;
    border-bottom: 1px solid var(--bar-soft);
  }
  input::placeholder {
    color: var(--bar-soft);
    opacity: 1;
  }
  .waiting::placeholder {
    color: var(--bar-ink);
  }
  .wrong {
    position: absolute;
    bottom: 2px;
    width: 1ch;
    height: 3px;
    background: var(--bar-red);
    pointer-events: none;
  }
  .fits {
    position: absolute;
    left: 40px;
    bottom: 100%;
    display: flex;
    gap: 2px;
    padding: 4px 6px;
    background: var(--bar);
    border-radius: 3px 3px 0 0;
  }
  .fits button {
    padding: 1px 8px;
    min-height: 24px;
    color: var(--bar-soft);
    border-radius: 2px;
  }
  .found {
    flex-direction: column;
    align-items: stretch;
  }
  .found button {
    display: flex;
    gap: 16px;
    justify-content: space-between;
    text-align: left;
    white-space: nowrap;
  }
  .found i {
    font-style: normal;
    opacity: 0.75;
  }
  .fits .first,
  .fits button:hover {
    color: var(--bar-ink);
    background: color-mix(in oklab, var(--bar-ink) 16%, transparent);
  }
  output {
    flex: 0 1 auto;
    max-width: 62%;
    font-size: 12.5px;
    color: var(--bar-soft);
    overflow: hidden;
    display: -webkit-box;
    -webkit-box-orient: vertical;
    -webkit-line-clamp: 2;
    line-clamp: 2;
  }
  .problem {
    color: var(--bar-red);
  }
</style>
