<!-- A field that is kept when it is left. What was refused stays as it was typed, marked, with what would be right below it; Esc brings back what is kept. -->
<script lang="ts">
  import { Input } from "flowbite-svelte";
  import type { ComponentProps } from "svelte";

  let {
    value,
    onkeep,
    mono = false,
    ...rest
  }: {
    value: string;
    /** Keeps it; what was wrong with it, "" where nothing was. */
    onkeep: (text: string) => Promise<string>;
    mono?: boolean;
  } & Omit<ComponentProps<typeof Input>, "value" | "onchange" | "children"> = $props();

  const id = $props.id();
  /** What is typed and not kept: it stays, whatever others change meanwhile. */
  let typed = $state<string | null>(null);
  let problem = $state("");

  async function keep(text: string) {
    typed = text;
    problem = text === value ? "" : await onkeep(text);
    if (!problem) typed = null;
  }
  function keys(e: KeyboardEvent) {
    // What was refused is kept when one insists: the field itself tells of no change then.
    if (e.key === "Enter" && problem && typed !== null) {
      e.preventDefault();
      return void keep(typed);
    }
    if (e.key !== "Escape" || !problem) return;
    e.stopPropagation();
    typed = null;
    problem = "";
  }
</script>

<span class="kept grid min-w-0 flex-[1_1_auto]">
  <Input
    class={mono ? "field mono" : "field"}
    value={typed ?? value}
    oninput={(e) => (typed = (e.currentTarget as HTMLInputElement).value)}
    onblur={() => typed === value && !problem && (typed = null)}
    onchange={(e) => void keep(e.currentTarget.value)}
    onkeydown={keys}
    aria-invalid={!!problem}
    aria-describedby={problem ? id : undefined}
    spellcheck="false"
    {...rest as object}
  />
  {#if problem}<span class="wrong text-[12.5px] wrap-anywhere" role="alert" {id}>{problem}</span>{/if}
</span>
