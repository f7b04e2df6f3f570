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
  // What stands at the end of the bar: something that is told, and something to press.
  const chip = "chip flex-none min-h-6.5 px-2.75 py-0.5 border border-hair hover:border-plum rounded-[13px] text-[13px]";
  const icon =
    "icon flex-none grid place-items-center h-7 w-7 p-0 text-soft dark:text-soft hover:text-soft dark:hover:text-soft disabled:opacity-40";
</script>

<header class="pr-3.5 pl-4 border-b border-hair gap-2.5 flex items-center bg-panel whitespace-nowrap min-w-0">
  <span class="brand mono font-bold text-[17px]" class:alone={!office.view}
    ><b class="text-plum">[</b>klammer<b class="text-plum">]</b></span
  >
  {#if office.view && !me.out}
    <a
      class="title overflow-hidden text-soft text-ellipsis flex-[0_1_auto] min-w-10 narrow:flex-[1_1_60px] narrow:w-0 hover:underline"
      href="/offices"
      data-tip={`${office.view.title}: all offices`}>{office.view.title}</a
    >
    <nav class="gap-0.5 flex items-center flex-none narrow:overflow-x-auto narrow:order-[1] narrow:flex-[1_0_100%]" aria-label="Views">
      {#each groups as g (g.name)}
        {#if g === here}
          <span class="group open mx-0.5 px-2.25 relative flex items-center" role="group" aria-label={`${g.name}: ${g.says}`}>
            <b class="mr-1 font-bold">{g.name}</b>
            {#each g.views.filter((v) => v.view !== "people" || me.now.accounts) as v (v.view)}<a
                class="px-2 py-1.5 rounded-[3px] text-soft hover:text-ink aria-[current]:font-semibold aria-[current]:text-plum aria-[current]:bg-plum-wash"
                href={href(v.view)}
                aria-current={view === v.view ? "page" : undefined}
                data-tip={`g ${v.key}`}>{title(v.view)}</a
              >{/each}
          </span>
        {:else}
          <a
            class="group px-2 py-1.5 rounded-[3px] text-soft hover:text-ink aria-[current]:font-semibold aria-[current]:text-plum aria-[current]:bg-plum-wash"
            href={href(g.views.find((v) => v.view === last[g.name])?.view ?? g.views[0]!.view)}
            data-tip={`${g.says}: ${g.views.map((v) => `${title(v.view)} (g ${v.key})`).join(", ")}`}>{g.name}</a
          >
        {/if}
      {/each}
    </nav>
  {/if}
  <span class="space flex-1"></span>
  {#if office.view}
    {#if names.length}<span
        class="others pl-1.5 border-l-5 border-soft text-[12px] text-soft"
        data-tip={`${names.join(", ")} ${word(names.length, "is", "are")} here too`}
        >{names[0]}{names.length > 1 ? ` +${names.length - 1}` : ""}</span
      >{/if}
    {#if may.plan && !office.then}<span class={chip} data-tip={may.plan}>{me.role(office.view.id)}</span>{/if}
    <Button
      class={chip}
      onclick={() => {
        place.view("board");
        selection.all = true;
      }}
      data-tip={`${count("breaks")} break, ${count("risk")} are a risk, ${count("tidy")} to tidy; n steps through them`}
      aria-label={`All findings: ${count("breaks")} break, ${count("risk")} risk, ${count("tidy")} tidy`}
    >
      <b class="breaks text-red">{count("breaks")}</b><span class="wide">&nbsp;break</span> ·
      <b class="risk text-amber">{count("risk")}</b><span class="wide">&nbsp;risk</span>
      · <b>{count("tidy")}</b><span class="wide">&nbsp;tidy</span>
    </Button>
    <span class="gap-1 flex">
      <Button
        class={icon}
        disabled={!office.undoable.length}
        onclick={() => office.undo()}
        data-tip="Undo (Ctrl+Z)"
        aria-label="Undo"
        {...only(may.plan)}
      >
        <UndoOutline class="h-4 w-4" />
      </Button>
      <Button
        class={icon}
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
      class="{chip} state min-w-29.5 text-center tabular-nums narrow:px-1.75 narrow:py-0.5"
      class:bad={office.keeping === "lost" || office.keeping === "refused"}
      href={place.href("history")}
      data-tip="History"
    >
      <span id="revision" data-revision={office.view.revision} data-keeping={office.keeping} role="status">
        rev {office.view.revision} · {keepingText}
      </span>
    </a>
  {:else if office.keeping === "lost"}
    <span class="{chip} bad" role="status">not connected</span>
  {/if}
  {#if me.now.accounts && me.now.name}<a
      class={chip}
      class:me={office.view}
      href={office.view ? place.href("people") : "/people"}
      data-tip="People, and you">{me.now.name}</a
    >{/if}
  <Button class={icon} onclick={() => (panels.keys = true)} data-tip="Keys (?)" aria-label="Keys">?</Button>
  <Button class={icon} onclick={() => panels.turn()} data-tip={panels.dark ? "Light" : "Dark"} aria-label="Light or dark">
    {#if panels.dark}<SunOutline class="h-4 w-4" />{:else}<MoonOutline class="h-4 w-4" />{/if}
  </Button>
</header>

<style>
  /* The group that one is in opens as a bracket around its views. */
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
  .bad {
    color: var(--red);
    border-color: var(--red);
    background: var(--red-wash);
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
    header:has(nav) .space {
      display: none;
    }
  }
  @media (max-width: 700px) {
    .me {
      display: none; /* People is among the views */
    }
  }
</style>
