<script lang="ts">
  let { wire, vlan, hues }: { wire: number | null; vlan?: number; hues: Map<number, string> } = $props();
  const bare = $derived(wire === null);
</script>

<span
  class="frame mono px-1.5 border-t-0 border-r-3 border-b-0 border-l-3 border-(--vlan) inline-block min-w-8.5 leading-4.5 text-[12px] text-center font-bold text-(--vlan)"
  class:bare
  style:--vlan={hues.get(wire || vlan || 0) ?? "var(--soft)"}
  data-tip={bare ? "the frame wears no tag" : wire === 0 ? "it wears a priority tag" : `it wears the tag ${wire}`}
  >{bare ? "frame" : wire === 0 ? "0" : wire}</span
>

<style>
  /* The ends of the brackets: two pixels at each corner. */
  .frame {
    background:
      linear-gradient(var(--vlan), var(--vlan)) 0 0 / 7px 2px no-repeat,
      linear-gradient(var(--vlan), var(--vlan)) 0 100% / 7px 2px no-repeat,
      linear-gradient(var(--vlan), var(--vlan)) 100% 0 / 7px 2px no-repeat,
      linear-gradient(var(--vlan), var(--vlan)) 100% 100% / 7px 2px no-repeat;
  }
  .bare {
    border: 1px solid var(--faint);
    background: none;
    color: var(--soft);
    font-weight: 500;
  }
</style>
