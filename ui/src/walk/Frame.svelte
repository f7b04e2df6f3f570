<script lang="ts">
  let { wire, vlan, hues }: { wire: number | null; vlan?: number; hues: Map<number, string> } = $props();
  const bare = $derived(wire === null);
</script>

<span
  class="frame mono"
  class:bare
  style:--vlan={hues.get(wire || vlan || 0) ?? "var(--soft)"}
  data-tip={bare ? "the frame wears no tag" : wire === 0 ? "it wears a priority tag" : `it wears the tag ${wire}`}
  >{bare ? "frame" : wire === 0 ? "0" : wire}</span
>

<style>
  .frame {
    display: inline-block;
    min-width: 34px;
    padding: 0 6px;
    line-height: 18px;
    font-size: 12px;
    text-align: center;
    font-weight: 700;
    color: var(--vlan);
    border: solid var(--vlan);
    border-width: 0 3px;
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
