<script lang="ts">
  import { Button, ThemeProvider } from "flowbite-svelte";
  import { onDestroy, onMount, type Component } from "svelte";
  import Foretold from "./line/Foretold.svelte";
  import Line from "./line/Line.svelte";
  import Header from "./shell/Header.svelte";
  import Notice from "./shell/Notice.svelte";
  import Then from "./history/Then.svelte";
  import { theme } from "./shell/theme";
  import Tip from "./shell/Tip.svelte";
  import Waiting from "./shell/Waiting.svelte";
  import { found } from "./state/found.svelte";
  import { me } from "./state/me.svelte";
  import { office } from "./state/office.svelte";
  import { panels } from "./state/panels.svelte";
  import { pending } from "./state/pending.svelte";
  import { groups, place, titles, type View } from "./state/place.svelte";
  import { selection } from "./state/selection.svelte";

  // Views are loaded when they are opened, and once the first one stands.
  const pages: Record<View, () => Promise<{ default: Component }>> = {
    board: () => import("./board/Home.svelte"),
    ports: () => import("./ports/Ports.svelte"),
    reach: () => import("./reach/Reach.svelte"),
    walk: () => import("./walk/Walk.svelte"),
    talk: () => import("./talk/Talk.svelte"),
    plans: () => import("./plans/Plans.svelte"),
    register: () => import("./register/Register.svelte"),
    devices: () => import("./devices/Devices.svelte"),
    field: () => import("./field/Field.svelte"),
    sheets: () => import("./sheets/Sheets.svelte"),
    orders: () => import("./orders/Orders.svelte"),
    round: () => import("./round/Round.svelte"),
    here: () => import("./round/Here.svelte"),
    poster: () => import("./poster/Poster.svelte"),
    checkup: () => import("./checkup/Checkup.svelte"),
    notices: () => import("./people/Notices.svelte"),
    handbook: () => import("./handbook/Handbook.svelte"),
    history: () => import("./history/History.svelte"),
    compare: () => import("./offices/Compare.svelte"),
    people: () => import("./people/People.svelte"),
  };
  // What is no view of an office.
  const offices = () => import("./offices/Offices.svelte");
  const join = () => import("./people/Join.svelte");
  const signIn = () => import("./people/SignIn.svelte");
  const keysDialog = () => import("./shell/KeysDialog.svelte");
  const tour = () => import("./shell/Tour.svelte");
  const nameDialog = () => import("./shell/NameDialog.svelte");
  onMount(() => {
    const later = setTimeout(() => Object.values(pages).forEach((load) => void load().catch(() => undefined)), 2500);
    return () => clearTimeout(later);
  });
  const id = $derived(place.now.office);
  const view = $derived(place.now.view);
  // The dock is lower where only that shows the board with its cables whole.
  let tall = $state(innerHeight);
  const room = $derived(tall - 85);
  const low = $derived(panels.board > room - Math.min(240, 0.3 * tall) && panels.board <= room - Math.min(190, 0.3 * tall));
  const opened = $derived(id > 0 ? pages[view]() : null); // at once, while the office itself is on its way

  $effect(() => void office.open(id));
  office.onfound = () => {
    found.heard++;
  };
  office.onturned = (port) => {
    if (view === "board") selection.goTo(port, selection.vlan?.vid);
  };
  $effect(() => {
    document.title = office.view ? `${titles[view]} · ${office.view.title} · Klammer` : "Klammer";
  });
  $effect(() => {
    void view;
    pending.clear();
  });
  onDestroy(() => office.leave());

  /** Set while g was pressed and a letter is waited for. */
  let going: ReturnType<typeof setTimeout> | undefined;
  function keys(e: KeyboardEvent) {
    const inText = e.target instanceof HTMLInputElement || e.target instanceof HTMLTextAreaElement || e.target instanceof HTMLSelectElement;
    if (inText || document.querySelector("dialog[open]")) return;
    if (going && office.view && !e.ctrlKey && !e.metaKey && !e.altKey) {
      const there = groups.flatMap((g) => g.views).find((v) => v.key === e.key);
      clearTimeout(going);
      going = undefined;
      if (there) {
        e.preventDefault();
        e.stopPropagation();
        place.open(there.view);
        return;
      }
    }
    if (e.key === "g" && !e.ctrlKey && !e.metaKey && !e.altKey) {
      going = setTimeout(() => (going = undefined), 1500);
      return;
    }
    if (e.ctrlKey || e.metaKey) {
      const k = e.key.toLowerCase();
      if (k === "z" && !e.shiftKey) void office.undo();
      else if (k === "y" || (k === "z" && e.shiftKey)) void office.redo();
      else return;
      e.preventDefault();
    } else if (!e.altKey && e.key === "?") panels.keys = true;
    else if (!e.altKey && e.key === "/") {
      e.preventDefault();
      document.getElementById("line")?.focus();
    }
  }
</script>

<svelte:window onkeydowncapture={keys} bind:innerHeight={tall} oninput={() => office.typing()} onfocusout={() => office.left()} />

<ThemeProvider {theme}>
  <!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_static_element_interactions -->
  <div
    class="shell"
    class:page={view !== "board" || id < 1 || me.out}
    class:low
    class:folded={panels.folded}
    style:--dragged={panels.dock ? `${panels.dock}px` : undefined}
    onclick={place.follow}
  >
    <Header />
    {#if id === -2}
      {@render loaded(join())}
    {:else if me.out}
      {@render loaded(signIn())}
    {:else if id === 0 && view === "people"}
      <main class="overflow-auto min-h-0 flex flex-col row-start-2 -row-end-1">{@render loaded(pages.people())}</main>
    {:else if id === 0}
      {@render loaded(offices())}
    {:else if !office.view || !opened}
      <Waiting />
    {:else}
      {#if view === "board"}
        {@render loaded(opened)}
      {:else}
        <main class="overflow-auto min-h-0 flex flex-col">
          <Then />
          {@render loaded(opened)}
        </main>
        <Foretold docked />
      {/if}
      <Line />
    {/if}
  </div>
  <Notice />
  <Tip />
  <!-- Each is taken away when it closes: a modal that is told it has opened after it was closed opens itself again. -->
  {#if office.askName}{@render loaded(nameDialog())}{/if}
  {#if panels.tour}{@render loaded(tour())}{/if}
  {#if panels.keys}{@render loaded(keysDialog())}{/if}
</ThemeProvider>

{#snippet loaded(part: Promise<{ default: Component }>)}
  {#await part}<span data-coming hidden></span>{:then page}<page.default />{:catch}
    <p class="wrong" role="alert">
      This page could not be loaded: the server is away, or was replaced by a newer one. <Button onclick={() => location.reload()}
        >Load it again</Button
      >
    </p>
  {/await}
{/snippet}

<style>
  .shell {
    --top: 45px;
    height: 100%;
    display: grid;
    --fits: clamp(120px, 30vh, 240px);
    grid-template-rows: var(--top) minmax(0, 1fr) min(var(--dragged, var(--fits)), 70vh) 40px;
    grid-template-columns: minmax(0, 1fr);
  }
  .low {
    --fits: clamp(120px, 30vh, 190px);
  }
  .folded {
    --dragged: 34px !important;
  }
  .page {
    grid-template-rows: var(--top) minmax(0, 1fr) auto 40px;
  }
  .page > :global(.line) {
    grid-row: 4;
  }
  .page > :global(#would) {
    grid-row: 3;
  }
  .page main {
    background: var(--paper);
  }
  /* On a phone the bar has two rows: what is kept, and where one is. */
  @media (max-width: 700px) {
    .shell:has(:global(header nav)) {
      --top: 82px;
    }
  }
  /* Little height, as when a page is enlarged: the dock gives way first. */
  @media (max-height: 560px) {
    .shell {
      --top: 38px;
    }
    .shell:not(.page) {
      --fits: 88px;
      grid-template-rows: var(--top) minmax(0, 1fr) min(var(--dragged, var(--fits)), 50vh) 34px;
    }
  }
  @media (max-height: 560px) and (max-width: 700px) {
    .shell:has(:global(header nav)) {
      --top: 72px;
    }
  }
</style>
