<script lang="ts">
  import { twoRows, type Jack } from "./front";

  let {
    jacks,
    hues,
    label,
    picked = "",
    onpick,
  }: { jacks: Jack[]; hues: Map<number, string>; label: string; picked?: string; onpick?: (name: string) => void } = $props();

  const rows = $derived(twoRows(jacks));
  // A speed stands where it is not that of most ports.
  const usual = $derived.by(() => {
    const n = new Map<string, number>();
    for (const j of jacks) n.set(j.speed ?? "", (n.get(j.speed ?? "") ?? 0) + 1);
    return [...n].sort((a, b) => b[1] - a[1])[0]?.[0];
  });
  const letter = (j: Jack) => (j.off ? "off" : j.untagged.length ? "U" : j.tagged.length || j.rest ? "T" : "");
  /** The VLAN that the colour stands for, in its number: on paper there may be no colour. */
  const vid = (j: Jack) => (j.untagged.includes(j.pvid) ? j.pvid : j.untagged[0]) ?? j.tagged[0] ?? 0;
  const at = $derived(
    Math.max(
      0,
      jacks.findIndex((j) => j.name === picked),
    ),
  );
  // One stop for Tab a front; arrows go along it.
  function keys(e: KeyboardEvent) {
    const all = [...(e.currentTarget as HTMLElement).querySelectorAll<HTMLElement>("button")];
    const i = all.indexOf(e.target as HTMLElement);
    const per = rows[0]?.length ?? 0;
    const to = { ArrowRight: i + 1, ArrowLeft: i - 1, ArrowDown: i + per, ArrowUp: i - per, Home: 0, End: all.length - 1 }[e.key];
    if (i < 0 || to === undefined || !all[to]) return;
    e.preventDefault();
    all[i]!.tabIndex = -1;
    all[to]!.tabIndex = 0;
    all[to]!.focus();
  }
  const says = (j: Jack) =>
    [
      `port ${j.name}${j.inside ? ` (${j.inside} inside)` : ""}`,
      j.shape,
      j.bundle && `in bundle ${j.bundle}`,
      j.speed,
      j.mark === "exception" && "an exception from the plan",
      j.cabled && `cable to ${j.cabled}`,
      ...(j.plugs ?? []),
      j.link && `link ${j.link}`,
      ...(j.seen ?? []),
    ]
      .filter(Boolean)
      .join(" · ");
</script>

<!-- svelte-ignore a11y_no_noninteractive_element_interactions -->
<div
  class="front px-2 py-1.5 border-[1.5px] border-ink gap-0.75 overflow-x-auto inline-flex flex-col rounded-[3px] bg-paper max-w-full"
  role="group"
  aria-label={label}
  onkeydown={keys}
>
  {#each rows as row, i (i)}
    <div class="row gap-0.75 flex">
      {#each row as j (j.name)}
        <button
          type="button"
          class="jack [all:unset] box-border w-8.5 flex-none grid justify-items-center text-[10px] cursor-default focus-visible:[outline:2px_solid_var(--plum)]"
          class:tagged={!j.untagged.length && (j.tagged.length || j.rest)}
          class:empty={!letter(j)}
          class:picked={picked === j.name}
          class:changed={j.mark === "changed"}
          class:lit={j.link === "up"}
          style:--vlan={hues.get((j.untagged.includes(j.pvid) ? j.pvid : j.untagged[0]) ?? j.tagged[0] ?? 0) ?? "var(--faint)"}
          data-tip={says(j)}
          aria-label={says(j)}
          tabindex={jacks[at]?.name === j.name ? 0 : -1}
          aria-pressed={onpick ? picked === j.name : undefined}
          onclick={() => onpick?.(j.name)}
        >
          <span class="name mono text-soft whitespace-nowrap"
            >{j.name}{j.mark === "exception" ? "≠" : ""}{#if j.speed && j.speed !== usual}<i class="ml-0.5 not-italic text-[8px]"
                >{j.speed}</i
              >{/if}</span
          >
          <span class="box mono"
            >{letter(j)}{#if j.untagged.length && (j.tagged.length || j.rest)}<i class="not-italic text-[9px] font-semibold"
                >+{j.rest ? "…" : j.tagged.length}</i
              >{/if}</span
          >
          <span class="vid mono hidden print:block print:font-bold" aria-hidden="true"
            >{vid(j) || ""}{j.untagged.length > 1 ? "…" : ""}</span
          >
        </button>
      {/each}
    </div>
  {/each}
</div>

<style>
  @media print {
    .box {
      background: none !important;
      color: #000 !important;
      border: 1px solid #000;
    }
  }
  .box {
    width: 32px;
    height: 22px;
    display: grid;
    grid-auto-flow: column;
    place-content: center;
    background: var(--vlan);
    color: var(--on-vlan);
    font-size: 11px;
    font-weight: 700;
  }
  .tagged .box {
    background: none;
    color: var(--vlan);
    border: solid var(--vlan);
    border-width: 0 3px;
  }
  .empty .box {
    background: none;
    border: 1px solid var(--hair);
    color: var(--soft);
  }
  .picked .box {
    outline: 2px solid var(--plum);
    outline-offset: 1px;
  }
  .lit .name {
    color: var(--ink);
    text-decoration: underline 2px;
    text-underline-offset: 2px;
  }
  .changed .box {
    outline: 2px dashed var(--plum);
    outline-offset: 1px;
  }
</style>
