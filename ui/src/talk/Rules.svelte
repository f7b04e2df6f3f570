<script lang="ts">
  import { may, only } from "../state/may.svelte";
  import { Button, Input, Select } from "flowbite-svelte";
  import { tick } from "svelte";
  import type { Device } from "../api/client";
  import Choose from "../choose/Rule.svelte";
  import { office } from "../state/office.svelte";
  import { pending } from "../state/pending.svelte";
  import { dropped, moved } from "./table";

  let { device, at = $bindable(0) }: { device: Device; at: number } = $props();

  const rules = $derived(device.rules ?? []);
  // Rules that no packet can meet, counted from 1.
  const unused = $derived(
    new Set((office.shown?.findings ?? []).filter((f) => f.code === "rule-unused" && f.devices?.[0] === device.name).map((f) => f.rule)),
  );
  let dragging = $state(0);
  let over = $state(0);
  let text = $state("");
  let problem = $state("");
  let list: HTMLElement | undefined = $state();

  // VLANs by name, as people read them.
  const named = (s: string) =>
    s.replace(/\bvlan (\d+)/g, (all, v: string) => office.shown?.vlans.find((x) => String(x.vid) === v)?.name || all);

  async function move(statement: string | null, to: number) {
    if (!statement || may.plan) return;
    if (!(await office.edit({ lines: [`${device.name} ${statement}`] }))) return;
    at = to;
    await tick();
    list?.querySelector<HTMLElement>(`[data-rule="${to}"]`)?.focus();
  }
  function keys(e: KeyboardEvent, n: number) {
    const by = e.key === "ArrowDown" ? 1 : e.key === "ArrowUp" ? -1 : 0;
    if (by && e.altKey) {
      e.preventDefault();
      void move(moved(n, by, rules.length), n + by);
    } else if (by) {
      e.preventDefault();
      const to = Math.min(rules.length, Math.max(1, n + by));
      at = to;
      list?.querySelector<HTMLElement>(`[data-rule="${to}"]`)?.focus();
    } else if (e.key === "Delete" && !may.plan) {
      e.preventDefault();
      pending.propose([`-${device.name} rule ${n}`]);
    }
  }
  function drop(before: number) {
    const from = dragging;
    dragging = over = 0;
    void move(dropped(from, before, rules.length), before > from ? before - 1 : before);
  }
  async function write(said: string) {
    problem = await office.tryLines([`${device.name} ${at ? `rule ${at} ` : ""}${said}`]);
    return !problem;
  }
  const add = async () => (await write(text.trim())) && (text = "");
  const set = (word: "between" | "within", to: string) =>
    office.edit({ lines: [to ? `${device.name} ${word} zones ${to}` : `-${device.name} ${word} zones`] });
</script>

<section class="rules panel">
  <h2 class="mb-1.5 font-bold">
    Rules of {device.name}
    <span class="ml-1.5 text-soft font-normal text-[12.5px]"
      >the first that fits decides · {device.keepsState ? "keeps state" : "keeps no state: answers need rules, too"}</span
    >
  </h2>
  <ol class="border-t border-hair" bind:this={list} aria-label={`Rules of ${device.name}, in order`}>
    {#each rules as r, i (i)}
      {@const n = i + 1}
      {@const idle = unused.has(i + 1)}
      <!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions -->
      <li
        data-rule={n}
        tabindex={n === (at || 1) ? 0 : -1}
        draggable={!may.plan}
        aria-label={`Rule ${n}: ${r.text}${idle ? "; no packet can meet it" : ""}`}
        aria-current={n === at ? "true" : undefined}
        class={["px-1.5 py-1 border-b border-hair gap-2 flex items-baseline text-[13px] aria-[current]:bg-plum-wash", r.do]}
        class:idle
        class:over={over === n}
        onfocus={() => (at = n)}
        onkeydown={(e) => keys(e, n)}
        ondragstart={(e) => {
          dragging = n;
          e.dataTransfer?.setData("text/plain", r.text);
        }}
        ondragend={() => (dragging = over = 0)}
        ondragover={(e) => {
          if (dragging) {
            e.preventDefault();
            over = n;
          }
        }}
        ondrop={(e) => (e.preventDefault(), drop(n))}
      >
        <span class="n mono text-soft min-w-4.5 text-right">{n}</span>
        <b class="do min-w-10.5">{r.do}</b>
        <span class="what gap-x-1.5 flex-1 flex flex-wrap wrap-anywhere"
          ><span class="mono text-[12.5px]">{named(r.from)}</span> to <span class="mono text-[12.5px]">{named(r.to)}</span>
          <span class="mono services font-[650] text-[12.5px]">{r.services === "any" ? "" : r.services}</span>{#if r.note}<span
              class="text-soft">“{r.note}”</span
            >{/if}{#if idle}<span class="text-soft">no packet can meet it</span>{/if}</span
        >
        <span class="acts gap-0.75 flex">
          <Button
            class="px-1.75 py-0 min-h-6"
            tabindex={-1}
            aria-label={`Move rule ${n} up`}
            disabled={n === 1}
            onclick={() => move(moved(n, -1, rules.length), n - 1)}
            {...only(may.plan)}>↑</Button
          >
          <Button
            class="px-1.75 py-0 min-h-6"
            tabindex={-1}
            aria-label={`Move rule ${n} down`}
            disabled={n === rules.length}
            onclick={() => move(moved(n, 1, rules.length), n + 1)}
            {...only(may.plan)}>↓</Button
          >
          <Button
            class="px-1.75 py-0 min-h-6"
            tabindex={-1}
            aria-label={`Remove rule ${n}`}
            onclick={() => pending.propose([`-${device.name} rule ${n}`])}
            {...only(may.plan)}>×</Button
          >
        </span>
      </li>
    {:else}
      <li class="none px-1.5 py-1 border-b border-hair gap-2 flex items-baseline text-[13px] text-soft aria-[current]:bg-plum-wash">
        No rule: what is below decides.
      </li>
    {/each}
    {#if dragging}
      <!-- svelte-ignore a11y_no_noninteractive_element_interactions -->
      <li
        class="end px-1.5 py-1 border-b border-hair gap-2 flex items-baseline text-[13px] aria-[current]:bg-plum-wash"
        class:over={over === rules.length + 1}
        ondragover={(e) => (e.preventDefault(), (over = rules.length + 1))}
        ondrop={(e) => (e.preventDefault(), drop(rules.length + 1))}
      >
        after all others
      </li>
    {/if}
  </ol>
  <p class="mt-2 gap-y-1.5 gap-x-3 flex flex-wrap items-center text-[13px]">
    Where none fits:
    <label
      >between zones <Select
        placeholder=""
        classes={{ select: "field" }}
        value={device.between ?? ""}
        onchange={(e) => set("between", e.currentTarget.value)}
        ><option value="">as its kind ({device.kind === "firewall" ? "deny" : "allow"})</option><option>allow</option><option>deny</option
        ></Select
      ></label
    >
    <label
      >within a zone <Select
        placeholder=""
        classes={{ select: "field" }}
        value={device.within ?? ""}
        onchange={(e) => set("within", e.currentTarget.value)}><option value="">allow</option><option>deny</option></Select
      ></label
    >
  </p>
  <form class="mt-2 gap-y-1.5 gap-x-3 flex flex-wrap items-center text-[13px]" onsubmit={(e) => (e.preventDefault(), void add())}>
    <label class="gap-y-1 gap-x-2 flex flex-[1_1_320px] flex-wrap items-center"
      >A rule {at && rules.length ? `before rule ${at}` : "after all others"}
      <Input
        class="field mono"
        id="new-rule"
        bind:value={text}
        placeholder="allow zone staff to vlan 130 tcp/443"
        aria-invalid={!!problem}
      /></label
    >
    <Choose {device} ontake={write} />
    {#if at && rules.length}<Button type="button" onclick={() => (at = 0)}>last instead</Button>{/if}
    <Button type="submit" class="main" disabled={!text.trim()} {...only(may.plan)}>Add</Button>
  </form>
  {#if problem}<p class="wrong" role="alert">{problem}</p>{/if}
  <p class="keys mt-1.5 text-soft text-[12px]">
    <kbd>↑</kbd> <kbd>↓</kbd> go, <kbd>Alt</kbd> with them moves a rule, <kbd>Del</kbd> removes it; or drag.
  </p>
</section>

<style>
  li[draggable="true"] {
    cursor: grab;
  }
  li.over {
    border-top: 2px solid var(--plum);
  }
  .deny .do {
    text-decoration: underline;
    text-decoration-thickness: 2px;
    text-underline-offset: 3px;
  }
  .idle .do,
  .idle .what .mono {
    color: var(--faint);
  }
  form :global(input) {
    flex: 1 1 220px;
    font-size: 13px;
  }
</style>
