<script lang="ts">
  import { MoonOutline, SunOutline, UndoOutline, RedoOutline } from "flowbite-svelte-icons";
  import { office } from "../state/office.svelte";
  import { panels } from "../state/panels.svelte";
  import { people } from "../state/people.svelte";
  import { place, titles, type View } from "../state/place.svelte";
  import { selection } from "../state/selection.svelte";

  const shown: View[] = ["board", "reach", "walk", "plans", "register", "devices", "sheets", "history"];
  const roots = $derived((office.shown?.findings ?? []).filter((f) => !f.cause));
  const count = (s: string) => roots.filter((f) => f.severity === s).length;
  const keepingText = $derived(
    { kept: "kept", saving: "saving…", lost: "not connected", refused: "not kept" }[office.keeping],
  );
  const names = $derived([...new Set(people.list.map((p) => p.name))]);
</script>

<header>
  <span class="brand mono"><b>[</b>klammer<b>]</b></span>
  {#if office.view}
    <a class="title" href="/offices" title="All offices">{office.view.title}</a>
    <nav aria-label="Views">
      {#each shown as v (v)}<a href={place.href(v)} aria-current={place.now.view === v ? "page" : undefined}>{titles[v]}</a>{/each}
    </nav>
  {/if}
  <span class="space"></span>
  {#if office.view}
    {#if names.length}<span class="others" title={`${names.join(", ")} ${names.length === 1 ? "is" : "are"} here too`}>{names[0]}{names.length > 1 ? ` +${names.length - 1}` : ""}</span>{/if}
    <button
      class="chip"
      onclick={() => {
        place.view("board");
        selection.all = true;
      }}
      title="All findings; n steps through them"
    >
      <b class="breaks">{count("breaks")}</b> break · <b class="risk">{count("risk")}</b> risk · <b>{count("tidy")}</b> tidy
    </button>
    <span class="pair">
      <button class="icon" disabled={!office.undoable.length} onclick={() => office.undo()} title="Undo (Ctrl+Z)" aria-label="Undo">
        <UndoOutline class="h-4 w-4" />
      </button>
      <button class="icon" disabled={!office.redoable.length} onclick={() => office.redo()} title="Redo (Ctrl+Shift+Z)" aria-label="Redo">
        <RedoOutline class="h-4 w-4" />
      </button>
    </span>
    <a class="chip state" class:bad={office.keeping === "lost" || office.keeping === "refused"} href={place.href("history")} title="History">
      <span id="revision" data-revision={office.view.revision} data-keeping={office.keeping} role="status">
        rev {office.view.revision} · {keepingText}
      </span>
    </a>
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
    gap: 10px;
    padding: 0 14px 0 16px;
    border-bottom: 1px solid var(--hair);
    background: var(--panel);
    white-space: nowrap;
    min-width: 0;
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
    max-width: 230px;
    flex: 0 1 auto;
    min-width: 40px;
  }
  .title:hover {
    text-decoration: underline;
  }
  nav {
    display: flex;
    flex: none;
  }
  nav a {
    padding: 6px 9px;
    border-radius: 3px;
    color: var(--soft);
  }
  nav a:hover {
    color: var(--ink);
  }
  nav a[aria-current] {
    font-weight: 600;
    color: var(--plum);
    background: var(--plum-wash);
  }
  .space {
    flex: 1;
  }
  .others {
    font-size: 12px;
    color: var(--soft);
    border-left: 5px solid var(--soft);
    padding-left: 6px;
  }
  .chip {
    border: 1px solid var(--hair);
    border-radius: 13px;
    padding: 2px 11px;
    font-size: 13px;
    min-height: 26px;
    flex: none;
  }
  .chip:hover,
  .icon:hover:enabled {
    border-color: var(--plum);
  }
  .state {
    min-width: 118px;
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
    flex: none;
  }
  .icon:disabled {
    opacity: 0.4;
  }
  @media (max-width: 1100px) {
    header {
      overflow-x: auto;
    }
  }
</style>
