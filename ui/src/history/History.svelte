<script lang="ts">
  import { Button, Input, Select } from "flowbite-svelte";
  import { tick } from "svelte";
  import { api, type Story } from "../api/client";
  import { may, only } from "../state/may.svelte";
  import { office } from "../state/office.svelte";
  import { place } from "../state/place.svelte";
  import { seen } from "../state/seen.svelte";
  import PortField from "../shell/PortField.svelte";
  import Restore from "./Restore.svelte";
  import { gathered, type Row } from "./story";

  const query = $derived(place.now.query);
  const asked = $derived({
    who: query.get("who") || undefined,
    device: query.get("device") || undefined,
    port: query.get("port") || undefined,
    vlan: Number(query.get("vlan")) || undefined,
    kinds: query.get("kinds") || undefined,
  });
  const narrowed = $derived(Object.values(asked).some(Boolean));
  const narrow = (to: Partial<Record<keyof typeof asked, string>>) => {
    const next = { ...Object.fromEntries(query), ...to };
    place.go(place.href("history", Object.fromEntries(Object.entries(next).filter(([, v]) => v))), true);
  };
  const revision = $derived(office.view?.revision);
  const vlans = $derived((office.view?.vlans ?? []).filter((v) => v.registered));
  const kinds = [
    ["", "everything"],
    ["edit", "edits"],
    ["order,step", "orders and their steps"],
    ["found", "what was found otherwise"],
    ["proof", "what was proved"],
  ] as const;

  let rows = $state.raw<Story["entries"]>([]);
  let people = $state.raw<string[]>([]);
  let next = $state.raw<{ before: number; until?: string } | null>(null);
  let port = $state("");
  let naming = $state(0);
  let name = $state("");
  let from = $state(0); // the revision that another is compared with
  let heard = $state(0);

  $effect(() => seen.follow());
  $effect(() => {
    port = asked.port ?? "";
  });
  $effect(() => {
    if (!office.view || !revision) return;
    void heard;
    void seen.now?.drift;
    void page(false, asked);
  });
  async function page(older: boolean, of: typeof asked) {
    try {
      const s = await api.story(office.view!.id, { ...of, ...(older && next ? next : {}) });
      rows = older ? [...rows, ...s.entries] : s.entries;
      people = s.people;
      next = s.before ? { before: s.before, until: s.until ?? undefined } : null;
    } catch (e) {
      office.tell(e);
    }
  }
  const day = (at: string) =>
    new Date(at).toLocaleDateString(undefined, { weekday: "long", day: "numeric", month: "long", year: "numeric" });
  const time = (at: string) => new Date(at).toLocaleTimeString(undefined, { timeStyle: "short" });
  const days = $derived.by(() => {
    const out: { day: string; rows: Row[] }[] = [];
    for (const e of gathered(rows)) {
      const d = day(e.at);
      if (out.at(-1)?.day !== d) out.push({ day: d, rows: [] });
      out.at(-1)!.rows.push(e);
    }
    return out;
  });
  const look = (r: number) => office.look(r).catch((e) => office.tell(e));
  async function call() {
    try {
      await api.nameRevision(office.view!.id, naming, name.trim());
      naming = 0;
      heard++;
    } catch (e) {
      office.tell(e);
    }
  }
</script>

<div class="history px-7 pt-4.5 pb-10 max-w-295 narrow:px-3 narrow:pt-3.5 narrow:pb-10" aria-label="History">
  <h1>History</h1>
  <p class="lead">
    What happened, the newest first. <b>Look</b> shows the office as it was on every view; nothing changes until you restore it, which is a new
    edit.
  </p>
  <div class="mb-1.5 gap-y-1.5 gap-x-3.5 flex flex-wrap items-center" role="group" aria-label="Show only">
    <label class="gap-1.5 flex items-center"
      >Who <Select
        placeholder=""
        classes={{ select: "field" }}
        value={asked.who ?? ""}
        onchange={(e) => narrow({ who: e.currentTarget.value })}
        ><option value="">everybody</option>{#each people as p (p)}<option>{p}</option>{/each}</Select
      ></label
    >
    <label class="gap-1.5 flex items-center"
      >what <Select
        placeholder=""
        classes={{ select: "field" }}
        value={asked.kinds ?? ""}
        onchange={(e) => narrow({ kinds: e.currentTarget.value })}
        >{#each kinds as [k, says] (k)}<option value={k}>{says}</option>{/each}</Select
      ></label
    >
    <label class="gap-1.5 flex items-center"
      >device <Select
        placeholder=""
        classes={{ select: "field" }}
        value={asked.device ?? ""}
        onchange={(e) => narrow({ device: e.currentTarget.value })}
        ><option value="">any</option>{#each office.view?.devices ?? [] as d (d.name)}<option>{d.name}</option>{/each}</Select
      ></label
    >
    <label class="gap-1.5 flex items-center"
      >VLAN <Select
        placeholder=""
        classes={{ select: "field" }}
        value={String(asked.vlan ?? "")}
        onchange={(e) => narrow({ vlan: e.currentTarget.value })}
        ><option value="">any</option>{#each vlans as v (v.vid)}<option value={String(v.vid)}>{v.vid} {v.name}</option>{/each}</Select
      ></label
    >
    <form onsubmit={(e) => (e.preventDefault(), narrow({ port: port.trim() }))}>
      <label class="gap-1.5 flex items-center"
        >port <PortField
          bind:value={port}
          id="story-port"
          placeholder="rack.7"
          named={false}
          onpick={() => narrow({ port: port.trim() })}
        /></label
      >
    </form>
    {#if narrowed}<Button onclick={() => place.go(place.href("history"), true)}>Everything</Button>{/if}
  </div>
  {#if asked.port}
    <p class="why">
      Why <b>{asked.port.replace(".", " ")}</b> is so: what was set there, the plan and the use that it has, its cable, and what hangs there.
    </p>
  {/if}
  {#each days as d (d.day)}
    <h2 class="mt-3.5 mb-1 font-[650] text-soft">{d.day}</h2>
    <ol>
      {#each d.rows as e (e.key)}
        {#if !e.revision}
          <li
            class={[
              "px-2 py-1.25 border-b border-hair gap-2 grid grid-cols-[52px_64px_130px_1fr_auto] items-baseline bg-panel narrow:grid-cols-[40px_56px_1fr]",
              e.kind,
            ]}
          >
            <span class="rev"></span>
            <span class="when">{time(e.at)}</span>
            <span class="who">{e.who || "found"}</span>
            <span class="what wrap-anywhere narrow:col-start-2 narrow:-col-end-1"
              >{e.device && e.kind !== "proof" && e.kind !== "order" ? `${e.device}: ` : ""}{e.text}</span
            >
          </li>
        {:else}
          {@const r = e.revision}
          <li
            class="px-2 py-1.25 border-b border-hair gap-2 grid grid-cols-[52px_64px_130px_1fr_auto] items-baseline bg-panel narrow:grid-cols-[40px_56px_1fr]"
            class:undone={(e.undoneBy ?? 0) > 0}
            class:here={office.then?.revision === r}
            data-revision={r}
          >
            <span class="mono rev">{r}</span>
            <span class="when">{time(e.at)}</span>
            <span class="who">{e.who}</span>
            <span class="what wrap-anywhere narrow:col-start-2 narrow:-col-end-1"
              >{#if e.name}<b class="name mr-2 px-1.5 border border-plum text-plum">{e.name}</b>{/if}{e.text}{#if e.undoneBy}<i
                  class="ml-2 text-soft inline-block">taken back in {e.undoneBy}</i
                >{/if}
              {#if naming === r}
                <form class="naming my-1 gap-1.5 flex flex-wrap items-center" onsubmit={(ev) => (ev.preventDefault(), void call())}>
                  <Input
                    class="field"
                    bind:value={name}
                    maxlength={80}
                    id="revision-name"
                    aria-label={`The name of revision ${r}`}
                    placeholder="before the move"
                  />
                  <Button type="submit" class="main">Keep</Button>
                  <Button type="button" onclick={() => (naming = 0)}>Leave it</Button>
                </form>
              {/if}</span
            >
            <span class="acts gap-1.5 flex flex-wrap items-center narrow:col-start-2 narrow:-col-end-1">
              {#if r === revision}<span class="now">now</span>{:else}
                <Button onclick={() => look(r).then(() => place.view("board"))}>Look</Button>
              {/if}
              <Button
                aria-label={`Name revision ${r}`}
                onclick={() => {
                  naming = naming === r ? 0 : r;
                  name = e.name ?? "";
                  void tick().then(() => document.getElementById("revision-name")?.focus());
                }}
                {...only(may.plan)}>Name</Button
              >
              {#if from && from !== r}
                <a
                  class="link underline underline-offset-2"
                  href={place.href("compare", { at: Math.min(from, r), to: Math.max(from, r) })}
                  aria-label={`Compare revision ${from} with revision ${r}`}>with {from}</a
                >
              {:else}
                <Button
                  aria-pressed={from === r}
                  aria-label={`Compare revision ${r} with another`}
                  onclick={() => (from = from === r ? 0 : r)}>Compare</Button
                >
              {/if}
              {#if r !== revision}<Restore revision={r} says="Restore" />{/if}
            </span>
          </li>
        {/if}
      {/each}
    </ol>
  {:else}
    <p class="lead">{narrowed ? "Nothing of that kind happened." : "Nothing happened yet."}</p>
  {/each}
  {#if next}<Button class="older" onclick={() => page(true, asked)}>Older</Button>{/if}
</div>

<style>
  .found {
    color: var(--amber);
  }
  .here {
    background: var(--plum-wash);
  }
  .rev,
  .when,
  .who,
  .now {
    color: var(--soft);
  }
  .undone .what {
    text-decoration: line-through;
    text-decoration-color: var(--soft);
  }
  .history :global(.older) {
    margin-top: 12px;
  }
</style>
