<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { office } from "../state/office.svelte";
  import { place } from "../state/place.svelte";

  const then = $derived(office.then);
  const restore = () => import("./Restore.svelte"); // with what it compares, when one looks back
  const look = (r: number) => void office.look(r).catch((e) => office.tell(e));
</script>

{#if then && office.step !== null}
  <aside
    class="px-4 py-1.25 border-b border-plum gap-y-1.5 gap-x-2 flex-none flex flex-wrap items-center bg-plum-wash"
    role="status"
    id="then"
  >
    <span
      ><b class="whitespace-nowrap">{office.step ? `After step ${office.step} of the order` : "As it is, before the order"}</b>: the
      findings are those of this state.</span
    >
    <a href={place.href("orders")}>The order</a>
    <Button class="main" onclick={() => void office.look(null)}>Back to the plan</Button>
  </aside>
{:else if then && office.asFound}
  <aside
    class="px-4 py-1.25 border-b border-plum gap-y-1.5 gap-x-2 flex-none flex flex-wrap items-center bg-plum-wash"
    role="status"
    id="then"
  >
    <span
      ><b class="whitespace-nowrap">As found</b>: what the devices are really set to, as far as somebody read it; the rest as planned. The
      findings are those of this state.</span
    >
    <Button class="main" onclick={() => void office.look(null)}>Back to the plan</Button>
  </aside>
{:else if then}
  <aside
    class="px-4 py-1.25 border-b border-plum gap-y-1.5 gap-x-2 flex-none flex flex-wrap items-center bg-plum-wash"
    role="status"
    id="then"
  >
    <span
      ><b class="whitespace-nowrap">Revision {then.revision}</b>, as it was; now is {office.view?.revision}. Nothing can be changed here.</span
    >
    <Button disabled={then.revision <= 1} onclick={() => look(then.revision - 1)}>‹ Before</Button>
    <Button onclick={() => look(then.revision + 1)}>After ›</Button>
    {#await restore() then r}<r.default revision={then.revision} says="Restore it" />{/await}
    <Button class="main" onclick={() => void office.look(null)}>Back to now</Button>
  </aside>
{/if}
