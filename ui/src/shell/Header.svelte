<script lang="ts">
  import { may, only } from "../state/may.svelte";
  import { Button } from "flowbite-svelte";
  import { word } from "./plural";
  import { MoonOutline, SunOutline, UndoOutline, RedoOutline } from "flowbite-svelte-icons";
  import { me } from "../state/me.svelte";
  import { office } from "../state/office.svelte";
  import { panels } from "../state/panels.svelte";
  import { people } from "../state/people.svelte";
  import { groups, place, titles } from "../state/place.svelte";
  import { selection } from "../state/selection.svelte";

  // Of each group the view that one was at last.
  const last: Record<string, string> = {};
  const view = $derived(place.now.view === "here" ? "round" : place.now.view); // a page of it
  const here = $derived(groups.find((g) => g.views.some((v) => v.view === view)) ?? groups.at(-1)!);
  $effect(() => {
    last[here.name] = view;
  });
  const title = (v: string) => (v === "offices" ? "Offices" : titles[v as keyof typeof titles]);
  const href = (v: string) => (v === "offices" ? "/offices" : place.href(v as keyof typeof titles));
  const roots = $derived((office.shown?.findings ?? []).filter((f) => !f.cause));
  const count = (s: string) => roots.filter((f) => f.severity === s).length;
  const keepingText = $derived({ kept: "kept", saving: "saving…", lost: "not connected", refused: "refused" }[office.keeping]);
  const names = $derived([...new Set(people.list.map((p) => p.name))]);
</script>

<header>
  <span class="brand mono" class:alone={!office.view}><b>[</b>klammer<b>]</b></span>
  {#if office.view && !me.out}
    <a class="title" href="/offices" data-tip={`${office.view.title}: all offices`}>{office.view.title}</a>
    <nav aria-label="Views">
      {#each groups as g (g.name)}
        {#if g === here}
          <span class="group open" role="group" aria-label={`${g.name}: ${g.says}`}>
            <b>{g.name}</b>
            {#each g.views.filter((v) => v.view !== "people" || me.now.accounts) as v (v.view)}<a
                href={href(v.view)}
                aria-current={view === v.view ? "page" : undefined}
                data-tip={`g ${v.key}`}>{title(v.view)}</a
              >{/each}
          </span>
        {:else}
          <a
            class="group"
            href={href(g.views.find((v) => v.view === last[g.name])?.view ?? g.views[0]!.view)}
            data-tip={`${g.says}: ${g.views.map((v) => `${title(v.view)} (g ${v.key})`).join(", ")}`}>{g.name}</a
          >
        {/if}
      {/each}
    </nav>
  {/if}
  <span class="space"></span>
  {#if office.view}
    {#if names.length}<span class="others" data-tip={`${names.join(", ")} ${word(names.length, "is", "are")} here too`}
        >{names[0]}{names.length > 1 ? ` +${names.length - 1}` : ""}</span
      >{/if}
    {#if may.plan && !office.then}<span class="chip" data-tip={may.plan}>{me.role(office.view.id)}</span>{/if}
    <Button
      class="chip"
      onclick={() => {
        place.view("board");
        selection.all = true;
      }}
      data-tip={`${count("breaks")} break, ${count("risk")} are a risk, ${count("tidy")} to tidy; n steps through them`}
      aria-label={`All findings: ${count("breaks")} break, ${count("risk")} risk, ${count("tidy")} tidy`}
    >
      <b class="breaks">{count("breaks")}</b><span class="wide">&nbsp;break</span> · <b class="risk">{count("risk")}</b><span class="wide"
        >&nbsp;risk</span
      >
      · <b>{count("tidy")}</b><span class="wide">&nbsp;tidy</span>
    </Button>
    <span class="pair">
      <Button
        class="icon"
        disabled={!office.undoable.length}
        onclick={() => office.undo()}
        data-tip="Undo (Ctrl+Z)"
        aria-label="Undo"
        {...only(may.plan)}
      >
        <UndoOutline class="h-4 w-4" />
      </Button>
      <Button
        class="icon"
        disabled={!office.redoable.length}
        onclick={() => office.redo()}
        data-tip="Redo (Ctrl+Shift+Z)"
        aria-label="Redo"
        {...only(may.plan)}
      >
        <RedoOutline class="h-4 w-4" />
      </Button>
    </span>
    <a
      class="chip state"
      class:bad={office.keeping === "lost" || office.keeping === "refused"}
      href={place.href("history")}
      data-tip="History"
    >
      <span id="revision" data-revision={office.view.revision} data-keeping={office.keeping} role="status">
        rev {office.view.revision} · {keepingText}
      </span>
    </a>
  {:else if office.keeping === "lost"}
    <span class="chip bad" role="status">not connected</span>
  {/if}
  {#if me.now.accounts && me.now.name}<a
      class="chip"
      class:me={office.view}
      href={office.view ? place.href("people") : "/people"}
      data-tip="People, and you">{me.now.name}</a
    >{/if}
  <Button class="icon" onclick={() => (panels.keys = true)} data-tip="Keys (?)" aria-label="Keys">?</Button>
  <Button class="icon" onclick={() => panels.turn()} data-tip={panels.dark ? "Light" : "Dark"} aria-label="Light or dark">
    {#if panels.dark}<SunOutline class="h-4 w-4" />{:else}<MoonOutline class="h-4 w-4" />{/if}
  </Button>
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
    flex: 0 1 auto;
    min-width: 40px;
  }
  .title:hover {
    text-decoration: underline;
  }
  nav {
    display: flex;
    align-items: center;
    gap: 2px;
    flex: none;
  }
  /* The group that one is in opens as a bracket around its views. */
  .open {
    position: relative;
    display: flex;
    align-items: center;
    padding: 0 9px;
    margin: 0 2px;
  }
  .open b {
    font-weight: 700;
    margin-right: 4px;
  }
  .open::before,
  .open::after {
    content: "";
    position: absolute;
    top: 4px;
    bottom: 4px;
    width: 5px;
    border: 1.5px solid var(--faint);
  }
  .open::before {
    left: 0;
    border-right: 0;
  }
  .open::after {
    right: 0;
    border-left: 0;
  }
  nav a {
    padding: 6px 8px;
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
  header :global(.chip) {
    border: 1px solid var(--hair);
    border-radius: 13px;
    padding: 2px 11px;
    font-size: 13px;
    min-height: 26px;
    flex: none;
  }
  header :global(.chip:hover),
  header :global(.icon:hover:enabled) {
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
  header :global(.icon) {
    width: 28px;
    height: 28px;
    display: grid;
    place-items: center;
    border: 1px solid var(--hair);
    border-radius: 3px;
    color: var(--soft);
    flex: none;
  }
  header :global(.icon:disabled) {
    opacity: 0.4;
  }
  /* The words give way before the keys do: then the name, then what may scroll. */
  @media (max-width: 1240px) {
    .wide {
      display: none;
    }
    .state {
      min-width: 0;
    }
  }
  @media (max-width: 900px) {
    header {
      overflow-x: auto;
      gap: 6px;
      padding: 0 8px;
    }
    .brand:not(.alone) {
      display: none;
    }
  }
  @media (max-width: 700px) {
    header {
      flex-wrap: wrap;
      align-content: space-evenly;
      overflow: visible;
    }
    .title {
      flex: 1 1 60px;
      width: 0;
    }
    header:has(nav) .space {
      display: none;
    }
    nav {
      order: 1;
      flex: 1 0 100%;
      overflow-x: auto;
    }
    .state {
      padding: 2px 7px;
    }
  }
  @media (max-width: 700px) {
    .me {
      display: none; /* People is among the views */
    }
  }
</style>
