<script lang="ts">
  import { may, only } from "../state/may.svelte";
  import Only from "../shell/Only.svelte";
  import { Button, Modal, Range } from "flowbite-svelte";
  import { tick as drawn } from "svelte";
  import { api, Refused, type OrderRequest, type Rehearsal, type WorkOrder } from "../api/client";
  import { latest } from "../api/latest";
  import Board from "../board/Board.svelte";
  import { word } from "../shell/plural";
  import { found } from "../state/found.svelte";
  import { office } from "../state/office.svelte";
  import { place } from "../state/place.svelte";
  import { selection } from "../state/selection.svelte";
  import { seen } from "../state/seen.svelte";
  import { keepHere, kept, withKept } from "./kept.svelte";
  import { lasting, touched } from "./lanes";
  import Protocol from "./Protocol.svelte";
  import Rack from "./Rack.svelte";
  import Rehearse from "./Rehearse.svelte";
  import Start from "./Start.svelte";
  import Visit from "./Visit.svelte";

  /** The order as the server told it last. */
  let told = $state.raw<WorkOrder | null>(null);
  const order = $derived(told && withKept(told, kept.all));
  let at = $state(0);
  let working = $state.raw<AbortController | null>(null);
  let against = $state("");
  let starting = $state(place.now.query.has("replaced"));
  let hundredths = $state(0);
  const newest = latest();

  const view = $derived(office.view!);
  const steps = $derived(order?.order?.steps ?? []);
  const done = $derived(order?.ticks.length ?? 0);
  const name = (vid: number) => {
    const v = view.vlans.find((v) => v.vid === vid);
    return v?.name ? `${vid} ${v.name}` : String(vid);
  };
  const lasts = $derived(lasting(steps, name));
  const visits = $derived(
    (order?.order?.visits ?? []).map((v, i) => ({ ...v, steps: steps.flatMap((s, k) => (s.visit === i ? [k] : [])) })),
  );
  const rack = $derived(place.now.query.has("rack"));
  const when = (t: string) => new Date(t).toLocaleString(undefined, { dateStyle: "medium", timeStyle: "short" });

  // A visit that was begun and not yet answered: what was asked before it does not
  // know of it.
  let begun: { id: number; carry: NonNullable<WorkOrder["carry"]> } | null = null;
  async function read() {
    try {
      const now = await newest(api.orderNow(view.id));
      told = begun?.id === now.id ? { ...now, carry: begun.carry } : now;
    } catch (e) {
      office.tell(e);
    }
  }
  $effect(() => {
    void [view.id, view.revision, found.heard];
    void read();
  });
  $effect(() => () => void office.look(null));
  $effect(() => seen.follow());
  const talks = $derived(new Set((seen.now?.devices ?? []).filter((d) => d.speaks).map((d) => d.device)));

  async function make(body: OrderRequest) {
    against = "";
    working = new AbortController();
    hundredths = 0;
    const stop = working;
    const watch = setInterval(
      () =>
        void api.orderNow(view.id).then(
          (o) => (hundredths = o.working ?? 0),
          () => {},
        ),
      500,
    );
    try {
      const made = await api.orderMake(view.id, body, stop.signal);
      await office.look(null); // before it shows: whoever sees it may look at a step at once
      at = 0;
      told = made;
      starting = false;
    } catch (e) {
      if (!stop.signal.aborted) {
        if (e instanceof Refused && e.status === 400) against = e.message;
        else office.tell(e);
      }
    }
    clearInterval(watch);
    working = null;
  }
  const unheard = new Refused(0, "The server does not answer.");
  /** What the server did not hear is kept here and handed in later; all else is told. */
  async function later(e: unknown, what: { step: number; on: boolean; said?: "refused" | "silent"; words?: string }) {
    if (!(e instanceof Refused) || e.status !== 0) {
      office.tell(e);
      return await read();
    }
    try {
      await kept.add({ ...what, office: view.id, order: order!.id, at: new Date().toISOString(), author: office.me });
    } catch {
      office.tell(e);
    }
  }
  async function handIn() {
    if (kept.all.length && (await kept.handIn())) await read();
  }
  $effect(() => {
    void kept.read(view.id, office.me).then(handIn);
    const again = setInterval(() => void handIn(), 3000);
    return () => clearInterval(again);
  });
  $effect(() => {
    if (rack) void keepHere(view.id);
  });
  async function tick(step: number, on: boolean) {
    try {
      if (kept.all.length) throw unheard; // in their order
      told = await api.orderTick(view.id, order!.id, step, on);
      if (office.step !== null) await look(told.ticks.length);
    } catch (e) {
      await later(e, { step, on });
    }
  }
  async function say(step: number, said: "refused" | "silent", words: string) {
    try {
      if (kept.all.length) throw unheard;
      told = await api.orderSay(view.id, order!.id, step, said, words);
    } catch (e) {
      await later(e, { step, on: true, said, words });
    }
  }
  interface Instead {
    label: string;
    title: string;
    text: string;
    yes: string;
    body: OrderRequest;
    off: boolean;
  }
  /** What may take the order's place: each is asked first. */
  const instead = $derived<Instead[]>([
    {
      label: "Something else happened",
      title: "Work the rest out anew?",
      text: "The order from here is worked out anew from what the devices were found to be set to.",
      yes: "Work it out",
      body: { from: "found" },
      off: false,
    },
    {
      label: "Go back from here",
      title: "Go back from here?",
      text: "An order takes back what this one did, with the same promises.",
      yes: "Order the way back",
      body: { from: "back" },
      off: !done || !!order?.back,
    },
    ...(order?.evening
      ? [
          {
            label: "Back to before the evening",
            title: "Back to before the evening?",
            text: "An order leads back to what the devices were set to before the first order of the evening.",
            yes: "Order the way back",
            body: { from: "start" as const },
            off: false,
          },
        ]
      : []),
  ]);
  let sure = $state.raw<Instead | null>(null);
  let apage = $state(false);
  async function onPaper(each: boolean) {
    apage = each;
    await drawn();
    print();
  }
  /** A visit that its device may do, and what it would be told. */
  let asked = $state.raw<{ visit: number; rehearsal: Rehearsal | null; problem: string } | null>(null);
  async function rehearse(visit: number) {
    asked = { visit, rehearsal: null, problem: "" };
    try {
      const rehearsal = await api.rehearse(view.id, order!.id, visit);
      if (asked?.visit === visit) asked = { visit, rehearsal, problem: "" };
    } catch (e) {
      if (asked?.visit === visit) asked = { visit, rehearsal: null, problem: e instanceof Error ? e.message : String(e) };
    }
  }
  async function carry(visit: number, back: boolean) {
    const id = order!.id;
    begun = { id, carry: { visit, step: done, running: true } };
    told = { ...told!, carry: begun.carry };
    try {
      await api.carry(view.id, id, visit, back);
    } catch (e) {
      office.tell(e);
    }
    begun = null;
    await read(); // it may have gone on, or ended, while the answer was on its way
  }
  async function look(n: number) {
    at = n;
    try {
      await office.lookStep(n);
      const port = n ? touched(steps[n - 1]!) : "";
      if (port && office.shown?.devices.some((d) => port.startsWith(`${d.name}.`) && d.ports.some((p) => `${d.name}.${p.name}` === port)))
        selection.goTo(port, selection.vlan?.vid);
    } catch (e) {
      office.tell(e);
    }
  }
  function keys(e: KeyboardEvent) {
    if (!steps.length || e.ctrlKey || e.metaKey || e.altKey || e.target instanceof HTMLInputElement) return;
    const next = { "[": at - 1, "]": at + 1 }[e.key];
    if (next === undefined || next < 0 || next > steps.length) return;
    e.preventDefault();
    void look(next);
  }
</script>

<svelte:window onkeydown={keys} />

<div class="orders mx-auto px-4 pt-3 pb-8 max-w-320 w-full print:p-0" class:rack class:apage>
  <p class="hidden print:block print:font-bold">{view.title}, revision {order?.revision}, {order ? when(order.at) : ""}</p>
  <header class="head gap-y-1 gap-x-3 flex flex-wrap items-baseline print:hidden">
    <h1 class="font-bold text-[20px]">Orders</h1>
    <p class="lead text-soft narrow:hidden">
      From what the devices are set to now to what they should be, step by step, so that nobody is locked out on the way.
    </p>
    {#if order?.id && !starting}
      <span class="acts noprint ml-auto gap-1.5 flex flex-wrap">
        <Button
          size="sm"
          color="alternative"
          class="rounded-sm"
          onclick={() => place.go(place.href("orders", rack ? {} : { rack: 1 }), true)}
          aria-pressed={rack}>{rack ? "All visits" : "At the rack"}</Button
        >
        {#if !rack}
          <Button size="sm" color="alternative" onclick={() => onPaper(false)}>Print</Button>
          <Button size="sm" color="alternative" onclick={() => onPaper(true)}>Print, a page a visit</Button>
          <Button size="sm" color="alternative" onclick={() => (starting = true)}>Another order</Button>
        {/if}
      </span>
    {/if}
  </header>
  {#if kept.all.length}
    <p
      class="box unheard my-2.5 px-3 py-2 border-t border-r border-b border-l-3 border-t-hair border-r-hair border-b-hair border-l-amber bg-panel"
      role="status"
    >
      The server is not heard: {kept.all.length}
      {word(kept.all.length, "answer is", "answers are")} kept here, and handed in with {word(kept.all.length, "its time", "their times")} when
      it is.
    </p>
  {/if}
  {#each kept.refused as { kept: k, why } (k.id)}
    <p
      class="box my-2.5 px-3 py-2 border-t border-r border-b border-l-3 border-t-hair border-r-hair border-b-hair border-l-red bg-panel"
      role="alert"
    >
      Step {k.step + 1}, {k.said ?? (k.on ? "done" : "not done after all")} at {when(k.at)}, was not taken: {why}
    </p>
  {/each}
  {#if working}
    <p class="box my-2.5 px-3 py-2 border border-hair bg-panel" role="status">
      Working the order out: every step is tried on the spans of the whole office.
      {#if hundredths}{hundredths} % of what differs is in order.{/if}
      <Button
        onclick={() => {
          void api.orderStop(view.id).catch((e) => office.tell(e));
          working?.abort();
        }}
        {...only(may.carry)}>Stop</Button
      >
    </p>
  {:else if against}
    <div
      class="box my-2.5 px-3 py-2 border-t border-r border-b border-l-3 border-t-hair border-r-hair border-b-hair border-l-red bg-panel"
      role="alert"
    >
      <b>There is no such order.</b>
      {#each against.split("\n") as line (line)}<p>{line}</p>{/each}
    </div>
  {/if}
  {#if order && (!order.id || starting)}
    <Only why={may.carry}
      ><Start
        devices={view.devices.map((d) => d.name)}
        revision={view.revision}
        been={order.id > 0}
        onmake={make}
        onleave={() => (starting = false)}
      /></Only
    >
  {:else if order?.order}
    {#if steps.length && rack}<Rack {order} {done} {tick} {say} {make} />{/if}
    <section
      class="sum box my-2.5 px-3 py-2 border border-hair bg-panel"
      class:harm={order.order.interrupted + order.order.blind + order.order.leaks > 0 || !!order.order.leaves || !!order.order.far}
    >
      {#each order.order.leaves ?? [] as text (text)}<p class="wrong">{text}</p>{/each}
      {#each order.order.far ?? [] as text (text)}<p class="wrong">{text}</p>{/each}
      {#if order.order.breaks?.length}
        <details class="breaks mb-1.5 text-red">
          <summary
            >{order.order.breaks.length}
            {word(order.order.breaks.length, "finding of the plan breaks", "findings of the plan break")}: the order leads there all the
            same.</summary
          >
          <ul class="pl-5 list-disc">
            {#each order.order.breaks as b (b.text)}<li>{b.text}</li>{/each}
          </ul>
        </details>
      {/if}
      <p>
        <b>{order.order.told}</b>
        {order.back ? "This one leads back. " : ""}For revision {order.revision}, made by {order.author}, {when(order.at)}.
        {#if order.order.lent?.length}The laptop needs {order.order.lent.map((p) => p.replace(".", " ")).join(", ")} meanwhile.{/if}
      </p>
      {#each order.order.left ?? [] as text (text)}<p>{text}</p>{/each}
      {#if order.moved && !order.back}
        <p class="moved">
          The plan has moved on: now is revision {view.revision}.
          <Button class="noprint" onclick={() => make({ from: "here" })} {...only(may.carry)}>Work the rest out anew</Button>
        </p>
      {/if}
      {#if steps.length}
        <p class="noprint">
          <b>{done} of {steps.length}</b>
          {word(steps.length, "step", "steps")} done.
          {#each instead as w (w.label)}
            <Button size="sm" color="alternative" class="me-1" disabled={!!working || w.off} onclick={() => (sure = w)}>{w.label}</Button>
          {/each}
        </p>
      {:else}
        {#each order.order.paper ?? [] as line (line)}<p class="mono">{line}</p>{/each}
      {/if}
    </section>
    {#if steps.length && !rack}
      <div
        class="slide noprint py-1.5 border-b border-hair gap-y-1 gap-x-3 grid grid-cols-[190px_minmax(160px,1fr)_minmax(0,1.4fr)_auto] items-center sticky top-0 bg-paper z-3 narrow:grid-cols-[1fr_auto]"
      >
        <label for="slider">The board {at ? `after step ${at}` : "as it is"}</label>
        <Range id="slider" min="0" max={steps.length} value={at} oninput={(e) => look(Number(e.currentTarget.value))} />
        <span class="what overflow-hidden whitespace-nowrap text-ellipsis text-soft"
          >{at ? steps[at - 1]!.text : "before the first step"}</span
        >
        {#if office.step !== null}<Button onclick={() => void office.look(null)}>Close the board</Button>{/if}
      </div>
      {#if office.step !== null && office.then}
        <div class="window noprint mb-3 border border-hair overflow-hidden h-[70vh] min-h-70 flex flex-col"><Board /></div>
      {/if}
      {#each visits as v, i (i)}
        <Visit
          visit={v}
          number={i + 1}
          {steps}
          {lasts}
          {order}
          {done}
          {at}
          {tick}
          {say}
          {make}
          onlook={look}
          speaks={talks.has(v.device)}
          oncarry={(back) => (back ? carry(i, true) : rehearse(i))}
        />
      {/each}
    {/if}
  {/if}
  {#if order?.id && !rack}<Protocol id={view.id} heard={order} />{/if}
</div>

{#if asked}
  <Rehearse
    device={order?.order?.visits[asked.visit]?.device ?? ""}
    rehearsal={asked.rehearsal}
    problem={asked.problem}
    onyes={() => {
      const { visit } = asked!;
      asked = null;
      void carry(visit, false);
    }}
    onclose={() => (asked = null)}
  />
{/if}
{#if sure}
  <Modal open onclose={() => (sure = null)} size="sm" title={sure.title} class="rounded-sm bg-panel dark:bg-panel">
    <p>
      {sure.text} What was ticked, refused and said of this order stays in the protocol: {done} of {steps.length} steps are done. Nothing on the
      devices changes by it.
    </p>
    <span class="flex gap-2">
      <Button
        id="sure"
        class="main rounded-sm"
        onclick={() => {
          const body = sure!.body;
          sure = null;
          void make(body);
        }}>{sure.yes}</Button
      >
      <Button color="alternative" onclick={() => (sure = null)}>Leave it as it is</Button>
    </span>
  </Modal>
{/if}

<style>
  .box p + p {
    margin-top: 6px;
  }
  .harm {
    border-left: 3px solid var(--amber);
  }
  .slide :global(input) {
    accent-color: var(--plum);
  }
  .window > :global(.board) {
    flex: 1;
    min-height: 0;
  }
  @media (max-width: 700px) {
    .slide :global(input) {
      grid-column: 1 / -1;
    }
  }
  @page {
    @bottom-right {
      content: counter(page) " of " counter(pages);
      font-size: 9pt;
    }
  }
</style>
