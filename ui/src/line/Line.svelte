<script lang="ts">
  import { pending } from "../state/pending.svelte";

  const count = (n: number, one: string, many: string) => `${n} ${n === 1 ? one : many}`;
  const foretold = $derived.by(() => {
    const p = pending.preview;
    if (!p) return "";
    const goes = p.go.length === 1 ? "1 finding goes away" : `${p.go.length} findings go away`;
    return [count(p.ports, "port changes", "ports change"), count(p.come.length, "new finding", "new findings"), goes, "Enter applies"].join(" · ");
  });
  const detail = $derived(
    [...(pending.preview?.lines ?? []), ...(pending.preview?.come ?? []).map((f) => `new: ${f.text}`), ...(pending.preview?.go ?? []).map((f) => `gone: ${f.text}`)].join("\n"),
  );

  function keys(e: KeyboardEvent) {
    if (e.key === "Enter") void pending.apply().then(() => {
      if (!pending.problem && !pending.text) document.getElementById("board")?.focus();
    });
    else if (e.key === "Escape") {
      pending.clear();
      document.getElementById("board")?.focus();
    } else return;
    e.preventDefault();
  }
</script>

<form class="line mono" onsubmit={(e) => e.preventDefault()}>
  <label for="line" aria-label="The line">›</label>
  <input
    id="line"
    bind:value={pending.text}
    oninput={() => pending.typed()}
    onkeydown={keys}
    placeholder={pending.says || "type a statement: ward-west 5-6: 130"}
    class:waiting={pending.op}
    autocomplete="off"
    spellcheck="false"
    aria-describedby="foretold"
  />
  <output id="foretold" class:problem={pending.problem} title={pending.problem || detail}>{pending.problem || foretold}</output>
</form>

<style>
  .line {
    display: flex;
    align-items: center;
    gap: 12px;
    padding: 0 16px;
    background: var(--bar);
    color: var(--bar-ink);
    font-size: 14px;
  }
  input {
    flex: 1 1 320px;
    min-width: 200px;
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
    color: #ffb4ab;
  }
</style>
