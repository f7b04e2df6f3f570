<script lang="ts">
  import { may, only } from "../state/may.svelte";
  import { Button, Checkbox } from "flowbite-svelte";
  import type { OrderRequest, OrderStep, WorkOrder } from "../api/client";
  import Stuck from "./Stuck.svelte";
  import { sites } from "../state/sites.svelte";
  import { how, piece, type Lasting } from "./lanes";

  let {
    visit,
    number,
    steps,
    lasts,
    order,
    done,
    at,
    tick,
    say,
    make,
    onlook,
    speaks = false,
    oncarry,
  }: {
    visit: { device: string; at: string; by: string; steps: number[] };
    number: number;
    steps: OrderStep[];
    lasts: Lasting[];
    order: WorkOrder;
    done: number;
    at: number;
    tick: (step: number, on: boolean) => void;
    say: (step: number, said: "refused" | "silent", words: string) => Promise<void>;
    make: (body: OrderRequest) => void;
    onlook: (n: number) => void;
    speaks?: boolean;
    oncarry?: (back: boolean) => void;
  } = $props();
  const carry = $derived(order.carry?.visit === number - 1 ? order.carry : undefined);
  const mine = $derived(visit.steps.includes(done) && !order.ended);
  const ended: Record<string, string> = {
    done: "The device did it all, and each step was read back.",
    hand: "This one is for you:",
    otherwise: "It stopped:",
    failed: "It stopped:",
    stopped: "Stopped:",
  };

  const lanes = $derived(Math.max(0, ...lasts.map((x) => x.lane + 1)));
  const kinds: Record<string, string> = { set: "set", manage: "manage", cable: "cable", laptop: "laptop", check: "look", save: "save" };
</script>

<section class="visit" aria-label={`Visit ${number}: ${visit.device}`}>
  <h2>
    <span class="mono">[{number} of {order.order!.visits.length}]</span>
    {visit.device} <span>{[sites.where(visit.device), how(visit)].filter(Boolean).join(", ")}</span>
  </h2>
  {#if carry}
    <p class="carry noprint" class:bad={carry.ended === "otherwise" || carry.ended === "failed"} role="status">
      {#if carry.running}{visit.device} is being set: step {carry.step + 1} …{:else}{ended[carry.ended ?? ""]} {carry.text ?? ""}{/if}
      {#if carry.back && mine}<Button onclick={() => oncarry?.(true)} {...only(may.carry)}
          >Take step {carry.step + 1} back on the device</Button
        >{/if}
    </p>
  {/if}
  {#if speaks && mine && !carry?.running && visit.steps
      .slice(visit.steps.indexOf(done))
      .some((k) => ["set", "check", "save"].includes(steps[k]!.kind))}
    <p class="noprint"><Button onclick={() => oncarry?.(false)} {...only(may.carry)}>Have {visit.device} do it …</Button></p>
  {/if}
  <ol>
    {#each visit.steps as k (k)}
      {@const s = steps[k]!}
      {@const t = order.ticks[k]}
      <li class:done={t} class:next={k === done && !order.ended} class:here={k === at - 1}>
        <span class="lanes" style:width={`${lanes * 9}px`}>
          {#each lasts as x (x)}
            {@const p = piece(x, k)}
            {#if p}<i class={`${x.kind} ${p}`} style:left={`${x.lane * 9}px`} data-tip={x.says}></i>{/if}
          {/each}
        </span>
        <label>
          <Checkbox
            checked={!!t}
            disabled={order.ended || carry?.running || (k !== done && k !== done - 1)}
            onchange={(e) => tick(k, e.currentTarget.checked)}
            aria-label={`Step ${k + 1} done`}
            {...only(may.carry)}
          />
          <span class="n mono">{k + 1}</span>
        </label>
        <div>
          <p>
            <span class={`kind ${s.kind}`}>{kinds[s.kind]}</span>{#if s.kind === "set" && s.page && !s.text.startsWith(s.page)}<span
                class="page">{s.page}</span
              >{/if}
            {#if s.changes.length}<b>{s.changes.join("; ")}</b><br /><span class="page-text">{s.text}</span>{:else}{s.text}{/if}
            {#if t}<em>{t.author}</em>{/if}
          </p>
          {#each s.told as line (line)}<p class="told" class:bad={/^(LEAK|Interrupted)|out of reach/.test(line)}>{line}</p>{/each}
          {#if s.undo.length}<p class="undo" class:shown={k === done && !order.ended}>Back: {s.undo.join("; ")}</p>{/if}
          {#if k === done && !order.ended && !carry?.running}<Stuck {order} {done} {say} {make} />{/if}
        </div>
        <Button class="noprint" onclick={() => onlook(k + 1)} aria-label={`Show the board after step ${k + 1}`}>board</Button>
      </li>
    {/each}
  </ol>
</section>

<style>
  .visit {
    margin-top: 14px;
  }
  h2 {
    font-weight: 700;
    border-bottom: 1px solid var(--ink);
    padding-bottom: 2px;
  }
  h2 span:last-child {
    font-weight: 400;
    color: var(--soft);
    font-size: 13px;
  }
  li {
    display: grid;
    grid-template-columns: auto 56px minmax(0, 1fr) auto;
    gap: 0 8px;
    border-bottom: 1px solid var(--hair);
  }
  li > :not(.lanes) {
    padding: 4px 0;
  }
  label {
    display: flex;
    gap: 6px;
    align-items: baseline;
  }
  .n {
    color: var(--soft);
    width: 30px;
    text-align: right;
  }
  .carry {
    border-left: 3px solid var(--plum);
    padding: 4px 8px;
    margin: 4px 0;
    white-space: pre-line;
  }
  .carry.bad {
    border-left-color: var(--red);
  }
  .next {
    background: var(--plum-wash);
  }
  .here {
    outline: 1px solid var(--plum);
    outline-offset: -1px;
  }
  .done p:first-child {
    color: var(--soft);
  }
  em {
    font-size: 12px;
    color: var(--soft);
    font-style: normal;
  }
  .kind,
  .page {
    font-size: 11px;
    border: 1px solid var(--hair);
    padding: 0 5px;
    margin-right: 5px;
    color: var(--soft);
    white-space: nowrap;
  }
  .laptop,
  .cable {
    border-color: var(--plum);
    color: var(--plum);
  }
  .told {
    font-size: 13px;
    color: var(--soft);
  }
  .bad {
    color: var(--red);
  }
  .page-text {
    color: var(--soft);
  }
  .undo {
    display: none;
    font-size: 13px;
    color: var(--soft);
  }
  .undo.shown {
    display: block;
  }
  .lanes {
    position: relative;
  }
  .lanes i {
    position: absolute;
    top: -1px;
    bottom: 0;
    width: 6px;
    border-left: 2px solid var(--amber);
  }
  .lanes .leak {
    border-color: var(--red);
  }
  .lanes .blind {
    border-left-style: dashed;
  }
  .lanes .begin {
    top: 10px;
    border-top: 2px solid var(--amber);
  }
  .lanes .end {
    bottom: 10px;
    border-bottom: 2px solid var(--amber);
  }
  .lanes .leak.begin,
  .lanes .leak.end {
    border-color: var(--red);
  }
  li > :global(button) {
    align-self: center;
    font-size: 12px;
    padding: 0 8px;
    margin: 3px 4px;
    min-height: 24px;
    white-space: nowrap;
  }
  li > :global(button.noprint) {
    padding: 0 8px;
  }
  @media (max-width: 700px) {
    li > :global(button) {
      display: none;
    }
  }
  @media print {
    .noprint {
      display: none;
    }
    .visit {
      break-inside: auto;
    }
    :global(.apage) .visit {
      break-after: page;
    }
    h2 {
      break-after: avoid;
    }
    .undo {
      display: block;
    }
    li {
      break-inside: avoid;
    }
  }
</style>
