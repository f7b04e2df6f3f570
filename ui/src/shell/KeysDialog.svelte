<script lang="ts">
  import { Button, Modal } from "flowbite-svelte";
  import { panels } from "../state/panels.svelte";
  import { back } from "../state/back";
  import { groups, place, titles } from "../state/place.svelte";

  const there = groups.flatMap((g) => g.views).map((v) => `${v.key} ${(v.view === "offices" ? "Offices" : titles[v.view]).toLowerCase()}`);
  const parts: [string, [string[], string][]][] = [
    [
      "Move",
      [
        [["←", "→", "↑", "↓"], "by cells; with Ctrl by devices"],
        [["Shift", "+", "arrows"], "select a block"],
        [["Enter"], "unfold the ports of a column, or fold them"],
        [["o"], "unfold the device"],
        [["O"], "all of them"],
        [["n"], "the next finding"],
        [["N"], "the one before"],
        [["s"], "sort the rows"],
      ],
    ],
    [
      "Set",
      [
        [["u"], "the row's VLAN untagged, and the PVID with it"],
        [["t"], "tagged"],
        [["."], "not a member"],
        [["p"], "the PVID alone"],
        [["Ctrl", "C"], "copy shapes"],
        [["Ctrl", "V"], "set them here"],
        [["Ctrl", "Z"], "undo; with Shift, redo"],
      ],
    ],
    [
      "Ask and act",
      [
        [["b"], "bring the VLAN here, over every cable on the way"],
        [["w"], "withdraw it, off every cable that no longer needs it"],
        [["m"], "what the finding's mend would do; Enter does it"],
        [["c"], "the cable in this port; on a free port, the first end of a new one"],
        [["x"], "remove the cable at hand"],
        [["f"], "follow a frame from here"],
        [["r"], "where the VLAN reaches"],
        [["g"], `and a letter goes to a view: ${there.join(", ")}`],
        [["a", "d"], "in the table of talk: allow, deny; + and - wish must and never"],
        [["/"], "the line; Tab completes, ↑ brings back, Esc leaves"],
      ],
    ],
    [
      "In the list of ports",
      [
        [["Enter"], "opens a cell and keeps it; F2 too, or just type; Esc leaves it as it was"],
        [["Shift", "+", "arrows"], "select a block; Ctrl C copies it for a spreadsheet, Ctrl V pastes one"],
        [["Ctrl", "X"], "cuts what hangs there: pasting it elsewhere moves it"],
        [["Ctrl", "D"], "fills the first row down; Delete empties"],
      ],
    ],
  ];
</script>

<Modal open onclose={() => (panels.keys = false)} size="lg" title="Keys" outsideclose class="rounded-sm bg-panel dark:bg-panel">
  <p class="mb-3.5 text-soft">
    <Button
      onclick={() => {
        panels.keys = false;
        place.view("board");
        panels.tour = 1;
      }}>Show me around</Button
    > where things are, in six sentences
  </p>
  <div class="parts gap-x-4.5 columns-[260px] text-ink" {@attach back}>
    {#each parts as [name, keys] (name)}
      <section class="mb-4.5 break-inside-avoid">
        <h3 class="mb-1.5 font-bold">{name}</h3>
        <dl class="gap-y-1.5 gap-x-2 grid grid-cols-[92px_1fr] text-[13.5px]">
          {#each keys as [ks, what] (what)}
            <dt class="gap-0.5 flex flex-wrap content-start">
              {#each ks as k, i (i)}<kbd>{k}</kbd>{/each}
            </dt>
            <dd>{what}</dd>
          {/each}
        </dl>
      </section>
    {/each}
  </div>
  <p class="made mt-3.5 text-soft text-[13px]">
    <a class="underline underline-offset-2" href="/notices.txt" target="_blank" rel="noreferrer"
      >What Klammer is built with, and the notices of its licences</a
    >
  </p>
</Modal>
