<!-- The office written down for the next administrator: chapters are chosen, and it is read here, printed, or saved as one file. -->
<script lang="ts">
  import { Button, Checkbox } from "flowbite-svelte";
  import { api } from "../api/client";
  import { office } from "../state/office.svelte";

  const chapters = [
    ["places", "What stands where"],
    ["fronts", "Fronts and sockets"],
    ["vlans", "VLANs"],
    ["addresses", "Addresses"],
    ["rules", "Who may talk to whom, and why"],
    ["sheets", "What is entered on each device"],
    ["evenings", "What was carried out last"],
    ["proved", "What was proved, and when"],
    ["people", "Who may what"],
    ["restore", "How to restore"],
  ] as const;
  let out = $state<string[]>([]); // chapters that are left out
  const taken = $derived(chapters.map(([name]) => name).filter((name) => !out.includes(name)));
  const href = $derived(`/api/offices/${office.view?.id}/handbook${out.length ? `?chapters=${taken.join(",")}` : ""}`);
  let page = $state("");
  let problem = $state("");

  $effect(() => {
    if (!office.view || !taken.length) return;
    void office.view.revision;
    api.handbook(office.view.id, out.length ? taken.join(",") : "").then(
      (text) => {
        page = text;
        problem = "";
      },
      (e) => (problem = e instanceof Error ? e.message : String(e)),
    );
  });
  /** The page as it was written, apart from the styles of all others. */
  function shown(el: HTMLElement) {
    const root = el.shadowRoot ?? el.attachShadow({ mode: "open" });
    const doc = new DOMParser().parseFromString(page, "text/html");
    const style = document.createElement("style");
    style.textContent = (doc.querySelector("style")?.textContent ?? "").replace(/\bbody\b/g, "main");
    root.replaceChildren(style, ...[doc.querySelector("main")].filter((m) => m !== null));
    // Links inside go to their chapter; there is one document for the page's own address.
    root.querySelectorAll("a").forEach((a) =>
      a.addEventListener("click", (e) => {
        e.preventDefault();
        e.stopPropagation();
        root.querySelector(a.getAttribute("href") ?? "")?.scrollIntoView();
      }),
    );
  }
</script>

<div class="px-7 pt-4.5 pb-10 narrow:px-3 narrow:pt-3.5 narrow:pb-10 print:p-0">
  <div class="noprint">
    <h1>Handbook</h1>
    <p class="lead">
      The office written down for who comes after you: on paper, or as one file for the safe that needs nothing else to be read. Nothing
      secret stands in it.
    </p>
    <div class="gap-y-1 gap-x-3.5 grid grid-cols-[repeat(auto-fill,minmax(230px,1fr))] max-w-225" role="group" aria-label="Chapters">
      {#each chapters as [name, title] (name)}
        <label class="gap-1.5 flex items-center"
          ><Checkbox
            id={`chapter-${name}`}
            checked={!out.includes(name)}
            onchange={(e) => (out = e.currentTarget.checked ? out.filter((x) => x !== name) : [...out, name])}
          />
          {title}</label
        >
      {/each}
    </div>
    <p class="acts mt-2.5 mb-3.5 gap-4 flex flex-wrap items-center">
      <Button class="main" disabled={!taken.length} onclick={() => window.print()}>Print</Button>
      <a class="link underline underline-offset-2" href={`${href}${out.length ? "&" : "?"}save=true`} download>Save as one file</a>
      <a class="link underline underline-offset-2" {href} target="_blank" rel="noreferrer">Open it alone</a>
    </p>
    {#if problem}<p class="wrong" role="alert">{problem}</p>{/if}
  </div>
  {#if page && taken.length}{#key page}<article
        class="border border-hair overflow-x-auto block max-w-237 bg-white text-[#111] print:border-0 print:max-w-none"
        data-handbook
        {@attach shown}
      ></article>{/key}{:else if !taken.length}<p>No chapter is chosen.</p>{/if}
</div>
