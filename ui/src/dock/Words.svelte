<script lang="ts">
  import { may, only } from "../state/may.svelte";
  import { Button } from "flowbite-svelte";
  import { office } from "../state/office.svelte";
  import { pending } from "../state/pending.svelte";
  import { place } from "../state/place.svelte";
  import { selection } from "../state/selection.svelte";
  import { seen } from "../state/seen.svelte";
  import CablePanel from "./CablePanel.svelte";

  const x = $derived(selection.explained);
  const link = $derived(office.shown?.links.find((l) => `${l.a} ${l.b}` === selection.cable));
  const plugs = $derived(
    selection.columns.slice(selection.left, selection.right + 1).length === 1
      ? (office.shown?.devices ?? []).flatMap((d) =>
          d.ports
            .filter((p) => selection.ports.includes(`${d.name}.${p.name}`))
            .flatMap((p) => (p.plugs ?? []).map((g) => `${g.name} (wants ${g.wants}${g.tagged ? " tagged" : ""})`)),
        )
      : [],
  );
  $effect(() => seen.follow());
  const sight = $derived(selection.ports.length === 1 ? seen.ports.get(selection.ports[0]!) : undefined);
  const v = $derived(selection.vlan);
  const end = $derived(selection.end.replace(".", " "));
</script>

<div class="words gap-1 flex flex-col">
  {#if link}
    <CablePanel {link} />
  {:else if x}
    <h2>Selected · <span class="where normal-case tracking-[0] text-ink">{x.title.replace(/(\d)-(\w*\d)/g, "$1–$2")}</span></h2>
    <p class="shape mono text-[17px] wrap-anywhere leading-[1.25]" id="shape">{x.shape || "several shapes"}</p>
    <p class="text leading-[1.36]">{x.words.join(" ")}</p>
    {#if plugs.length}<p class="plugs text-soft text-[13px]">
        Plugged in: {plugs.slice(0, 4).join(", ")}{plugs.length > 4 ? ` and ${plugs.length - 4} more` : ""}.
      </p>{/if}
    {#if sight}<p class="plugs text-soft text-[13px]" data-seen>
        Seen: {[sight.link === "up" ? "link up" : "no link", ...sight.words.slice(0, 4)].join(", ")}{sight.words.length > 4
          ? ` and ${sight.words.length - 4} more`
          : ""}.
      </p>{/if}
    {#if end}<p class="cabling pl-2 border-l-3 border-plum" role="status">
        A cable from <b>{end}</b>: go to its other end and press <kbd>c</kbd>; <kbd>Esc</kbd> leaves it.
      </p>{/if}
    <div class="acts mt-auto gap-1.5 flex flex-wrap" role="toolbar" aria-label="Set the selection">
      <Button onclick={() => pending.member("untagged")} {...only(may.plan)}>Untagged <kbd>u</kbd></Button>
      <Button onclick={() => pending.member("tagged")} {...only(may.plan)}>Tagged <kbd>t</kbd></Button>
      <Button onclick={() => pending.member("none")} data-tip="Take the row's VLAN off these ports" {...only(may.plan)}
        >Not in it <kbd>.</kbd></Button
      >
      <Button onclick={() => pending.pvid()} {...only(may.plan)}>PVID <kbd>p</kbd></Button>
      <Button class="main" onclick={() => pending.bring(true)} {...only(may.plan)}>Bring {v?.vid} here <kbd>b</kbd></Button>
      <Button onclick={() => pending.bring(false)} {...only(may.plan)}>Withdraw <kbd>w</kbd></Button>
      <Button onclick={() => place.view("walk", { from: selection.ports[0] ?? "" })}>Walk <kbd>f</kbd></Button>
      {#if selection.ports[0]}<a
          class="why self-center underline underline-offset-2"
          href={place.href("history", { port: selection.ports[0] })}
          data-tip="The edits, orders and proofs that made it so">Why is it so?</a
        >{/if}
    </div>
  {/if}
</div>

<style>
  .words :global(button) {
    border: 1px solid var(--hair);
    border-radius: 3px;
    padding: 3px 9px;
    font-size: 13px;
    min-height: 28px;
    background: var(--panel);
  }
  .words :global(button:hover) {
    border-color: var(--plum);
  }
  .words :global(.main) {
    border-color: var(--plum);
    color: var(--plum);
    font-weight: 650;
  }
</style>
