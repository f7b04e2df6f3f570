<script lang="ts">
  import { Input } from "flowbite-svelte";
  import { office } from "../state/office.svelte";

  let {
    value = $bindable(""),
    id,
    wrong = false,
    placeholder = "rack.1",
    more = false,
    named = true,
    any = false,
    onpick,
  }: {
    value?: string;
    id: string;
    wrong?: boolean;
    placeholder?: string;
    more?: boolean;
    named?: boolean;
    /** Whether VLANs, addresses and the outside may be named, too. */
    any?: boolean;
    onpick?: () => void;
  } = $props();

  // Ports with what is plugged in, so that a PC can be found by its name.
  const options = $derived(
    (office.shown?.devices ?? []).flatMap((d) =>
      d.ports
        .filter((p) => !p.bundle)
        .map((p) => ({ ref: `${d.name}.${p.name}`, says: (p.plugs ?? []).map((g) => g.name).join(", ") || p.shape })),
    ),
  );
  const plugs = $derived(
    named
      ? (office.shown?.devices ?? []).flatMap((d) =>
          d.ports.flatMap((p) => (p.plugs ?? []).map((g) => ({ ref: g.name, says: `${d.name} ${p.name}` }))),
        )
      : [],
  );
  const devices = $derived(
    more ? [{ ref: "the gateway", says: "of its VLAN" }, ...(office.shown?.devices ?? []).map((d) => ({ ref: d.name, says: d.kind }))] : [],
  );
  const areas = $derived(
    any
      ? [
          { ref: "outside", says: "" },
          ...(office.shown?.vlans ?? []).filter((v) => v.registered).map((v) => ({ ref: v.name, says: `VLAN ${v.vid}` })),
        ]
      : [],
  );
  const all = $derived([...areas, ...options, ...plugs, ...devices]);
  // As people write it: north 1 is north.1, and a plug is found whatever its letters.
  const plain = (s: string) => s.trim().toLowerCase().replace(/\s+/g, " ");
  const known = $derived(
    !value ||
      (any && /^(\d+|[\da-f]*[.:][\da-f.:]*)$/i.test(value.trim())) ||
      all.some((o) => plain(o.ref) === plain(value) || plain(o.ref.replace(".", " ")) === plain(value)),
  );
</script>

<Input
  class="field mono max-w-[260px] min-w-[170px] [field-sizing:content]"
  {id}
  {placeholder}
  bind:value
  list={`${id}-ports`}
  aria-invalid={wrong || !known}
  data-tip={known ? "" : `nothing is named ${value}: a port as rack.1 or rack 1, or what is plugged in`}
  onchange={() => known && onpick?.()}
/>
<datalist id={`${id}-ports`}>
  {#each all as o, i (i)}<option value={o.ref}>{o.says}</option>{/each}
</datalist>
