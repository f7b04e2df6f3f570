<script lang="ts">
  import { Button } from "flowbite-svelte";
  import { office } from "../state/office.svelte";
  import { place } from "../state/place.svelte";

  const then = $derived(office.then);
  const restore = () => import("./Restore.svelte"); // with what it compares, when one looks back
  const look = (r: number) => void office.look(r).catch((e) => office.tell(e));
</script>

{#if then && office.step !== null}
  <aside role="status" id="then">
    <span
      ><b>{office.step ? `After step ${office.step} of the order` : "As it is, before the order"}</b>: the findings are those of this state.</span
    >
    <a href={place.href("orders")}>The order</a>
    <Button class="main" onclick={() => void office.look(null)}>Back to the plan</Button>
  </aside>
{:else if then && office.asFound}
  <aside role="status" id="then">
    <span
      ><b>As found</b>: what the devices are really set to, as far as somebody read it; the rest as planned. The findings are those of this
      state.</span
    >
    <Button class="main" onclick={() => void office.look(null)}>Back to the plan</Button>
  </aside>
{:else if then}
  <aside role="status" id="then">
    <span><b>Revision {then.revision}</b>, as it was; now is {office.view?.revision}. Nothing can be changed here.</span>
    <Button disabled={then.revision <= 1} onclick={() => look(then.revision - 1)}>‹ Before</Button>
    <Button onclick={() => look(then.revision + 1)}>After ›</Button>
    {#await restore() then r}<r.default revision={then.revision} says="Restore it" />{/await}
    <Button class="main" onclick={() => void office.look(null)}>Back to now</Button>
  </aside>
{/if}

<style>
  aside {
    flex: none;
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 6px 8px;
    padding: 5px 16px;
    background: var(--plum-wash);
    border-bottom: 1px solid var(--plum);
  }
  b {
    white-space: nowrap;
  }
</style>
