<script lang="ts">
  import { office } from "../state/office.svelte";

  let {
    value = $bindable(""),
    id,
    wrong = false,
    placeholder = "rack.1",
    onpick,
  }: { value?: string; id: string; wrong?: boolean; placeholder?: string; onpick?: () => void } = $props();

  // Ports with what is plugged in, so that a PC can be found by its name.
  const options = $derived(
    (office.shown?.devices ?? []).flatMap((d) =>
      d.ports.filter((p) => !p.bundle).map((p) => ({ ref: `${d.name}.${p.name}`, says: (p.plugs ?? []).map((g) => g.name).join(", ") || p.shape })),
    ),
  );
  const known = $derived(!value || options.some((o) => o.ref === value));
</script>

<input
  class="field mono"
  {id}
  {placeholder}
  bind:value
  list={`${id}-ports`}
  aria-invalid={wrong || !known}
  title={known ? "" : `no port is named ${value}: write device.port`}
  onchange={() => known && onpick?.()}
/>
<datalist id={`${id}-ports`}>
  {#each options as o (o.ref)}<option value={o.ref}>{o.says}</option>{/each}
</datalist>

<style>
  input {
    width: 170px;
  }
</style>
