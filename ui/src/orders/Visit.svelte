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
  const label = "mr-1.25 border border-hair px-1.25 text-[11px] whitespace-nowrap text-soft";
</script>

<section class="visit mt-3.5 print:break-inside-auto" aria-label={`Visit ${number}: ${visit.device}`}>
  <h2 class="pb-0.5 border-b border-ink font-bold print:break-after-avoid">
    <span class="mono">[{number} of {order.order!.visits.length}]</span>
    {visit.device}
    <span class="font-normal text-soft text-[13px]">{[sites.where(visit.device), how(visit)].filter(Boolean).join(", ")}</span>
  </h2>
  {#if carry}
    <p
      class="carry noprint my-1 px-2 py-1 border-l-3 border-plum whitespace-pre-line"
      class:bad={carry.ended === "otherwise" || carry.ended === "failed"}
      role="status"
    >
      {#if carry.running}{visit.device} is being set: step {carry.step + 1} …{:else}{ended[carry.ended ?? ""]} {carry.text ?? ""}{/if}
      {#if carry.back && mine}<Button onclick={() => oncarry?.(true)} {...only(may.carry)}
          >Take step {carry.step + 1} back on the device</Button
        >{/if}
    </p>
  {/if}
  {#if speaks && mine && !carry?.running && visit.steps
      .slice(visit.steps.indexOf(done))
      .some((k) => ["set", "check", "save"].includes(steps[k]!.kind))}
    <p class="noprint my-1.5"><Button onclick={() => oncarry?.(false)} {...only(may.carry)}>Have {visit.device} do it …</Button></p>
  {/if}
  <ol>
    {#each visit.steps as k (k)}
      {@const s = steps[k]!}
      {@const t = order.ticks[k]}
      <li
        class="border-b border-hair gap-x-2 grid grid-cols-[auto_56px_minmax(0,1fr)_auto] print:break-inside-avoid"
        class:done={t}
        class:next={k === done && !order.ended}
        class:here={k === at - 1}
      >
        <span class="lanes relative" style:width={`${lanes * 9}px`}>
          {#each lasts as x (x)}
            {@const p = piece(x, k)}
            {#if p}<i class={`${x.kind} ${p}`} style:left={`${x.lane * 9}px`} data-tip={x.says}></i>{/if}
          {/each}
        </span>
        <label class="gap-1.5 flex items-baseline">
          <Checkbox
            checked={!!t}
            disabled={order.ended || carry?.running || (k !== done && k !== done - 1)}
            onchange={(e) => tick(k, e.currentTarget.checked)}
            aria-label={`Step ${k + 1} done`}
            {...only(may.carry)}
          />
          <span class="n mono text-soft w-7.5 text-right">{k + 1}</span>
        </label>
        <div>
          <p>
            <span class={`kind ${s.kind} ${label}`}>{kinds[s.kind]}</span
            >{#if s.kind === "set" && s.page && !s.text.startsWith(s.page)}<span class={label}>{s.page}</span>{/if}
            {#if s.changes.length}<b>{s.changes.join("; ")}</b><br /><span class="text-soft">{s.text}</span>{:else}{s.text}{/if}
            {#if t}<em class="text-[12px] text-soft not-italic">{t.author}</em>{/if}
          </p>
          {#each s.told as line (line)}<p class="told text-[13px] text-soft" class:bad={/^(LEAK|Interrupted)|out of reach/.test(line)}>
              {line}
            </p>{/each}
          {#if s.undo.length}<p class="undo hidden text-[13px] text-soft print:block" class:shown={k === done && !order.ended}>
              Back: {s.undo.join("; ")}
            </p>{/if}
          {#if k === done && !order.ended && !carry?.running}<Stuck {order} {done} {say} {make} />{/if}
        </div>
        <Button
          class="noprint mx-1 my-0.75 px-2 py-0 self-center text-[12px] min-h-6 whitespace-nowrap narrow:hidden"
          onclick={() => onlook(k + 1)}
          aria-label={`Show the board after step ${k + 1}`}>board</Button
        >
      </li>
    {/each}
  </ol>
</section>

<style>
  li > :not(.lanes) {
    padding: 4px 0;
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
  .laptop,
  .cable {
    border-color: var(--plum);
    color: var(--plum);
  }
  .bad {
    color: var(--red);
  }
  .undo.shown {
    display: block;
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
  @media print {
    :global(.apage) .visit {
      break-after: page;
    }
  }
</style>
