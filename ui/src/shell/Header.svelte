<script lang="ts">
  import { MoonOutline, SunOutline, UndoOutline, RedoOutline } from "flowbite-svelte-icons";
  import { office } from "../state/office.svelte";
  import { panels } from "../state/panels.svelte";
  import { selection } from "../state/selection.svelte";

  const roots = $derived((office.view?.findings ?? []).filter((f) => !f.cause));
  const count = (s: string) => roots.filter((f) => f.severity === s).length;
  const keepingText = $derived(
    { kept: "kept", saving: "saving…", lost: "not connected", refused: "not kept" }[office.keeping],
  );
</script>

<header>
  <span class="brand mono"><b>[</b>klammer<b>]</b></span>
  <span class="title">{office.view?.title ?? ""}</span>
  <nav aria-label="Views"><a href="/" aria-current="page">Board</a></nav>
  <span class="space"></span>
  {#if office.view}
    <button class="chip" onclick={() => (selection.all = true)} title="All findings">
      <b class="breaks">{count("breaks")}</b> break · <b class="risk">{count("risk")}</b> risk ·
      <b>{count("tidy")}</b> tidy
    </button>
    <span class="pair">
      <button class="icon" disabled={!office.undoable.length} onclick={() => office.undo()} title="Undo (Ctrl+Z)" aria-label="Undo">
        <UndoOutline class="h-4 w-4" />
      </button>
      <button class="icon" disabled={!office.redoable.length} onclick={() => office.redo()} title="Redo (Ctrl+Shift+Z)" aria-label="Redo">
        <RedoOutline class="h-4 w-4" />
      </button>
    </span>
    <button class="chip state" class:bad={office.keeping === "lost" || office.keeping === "refused"} onclick={() => (panels.history = true)} title="History">
      <span id="revision" data-revision={office.view.revision} data-keeping={office.keeping} role="status">
        rev {office.view.revision} · {keepingText}
      </span>
    </button>
  {:else if office.keeping === "lost"}
    <span class="chip bad" role="status">not connected</span>
  {/if}
  <button class="icon" onclick={() => (panels.keys = true)} title="Keys (?)" aria-label="Keys">?</button>
  <button class="icon" onclick={() => panels.turn()} title={panels.dark ? "Light" : "Dark"} aria-label="Light or dark">
    {#if panels.dark}<SunOutline class="h-4 w-4" />{:else}<MoonOutline class="h-4 w-4" />{/if}
  </button>
</header>

<style>
  header {
    display: flex;
    align-items: center;
    gap: 14px;
    padding: 0 14px 0 16px;
    border-bottom: 1px solid var(--hair);
    background: var(--panel);
    white-space: nowrap;
  }
  .brand {
    font-weight: 700;
    font-size: 17px;
  }
  .brand b {
    color: var(--plum);
  }
  .title {
    color: var(--soft);
    overflow: hidden;
    text-overflow: ellipsis;
  }
  nav a {
    font-weight: 600;
    color: var(--plum);
    background: var(--plum-wash);
    padding: 6px 13px;
    border-radius: 3px;
  }
  .space {
    flex: 1;
  }
  .chip {
    border: 1px solid var(--hair);
    border-radius: 13px;
    padding: 2px 12px;
    font-size: 13px;
    min-height: 26px;
  }
  .chip:hover,
  .icon:hover:enabled {
    border-color: var(--plum);
  }
  .state {
    min-width: 128px;
    text-align: center;
    font-variant-numeric: tabular-nums;
  }
  .bad {
    color: var(--red);
    border-color: var(--red);
    background: var(--red-wash);
  }
  .breaks {
    color: var(--red);
  }
  .risk {
    color: var(--amber);
  }
  .pair {
    display: flex;
    gap: 4px;
  }
  .icon {
    width: 28px;
    height: 28px;
    display: grid;
    place-items: center;
    border: 1px solid var(--hair);
    border-radius: 3px;
    color: var(--soft);
  }
  .icon:disabled {
    opacity: 0.4;
  }
</style>
