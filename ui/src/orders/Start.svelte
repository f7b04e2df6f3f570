<script lang="ts">
  import type { OrderRequest } from "../api/client";

  let {
    devices,
    revision,
    been,
    onmake,
    onleave,
  }: { devices: string[]; revision: number; been: boolean; onmake: (q: OrderRequest) => void; onleave: () => void } = $props();

  let since = $state<number | null>(null);
  let fresh = $state<string[]>([]);
</script>

<section class="start" aria-label="A new order">
  <div>
    <h2>As found</h2>
    <p>
      The devices are set to what was read or typed in last{been ? ", and to what the last order has done" : ""}; the others as planned.
    </p>
    <button class="main" onclick={() => onmake({ from: "found" })}>Order from what was found</button>
  </div>
  <form
    onsubmit={(e) => {
      e.preventDefault();
      if (since) onmake({ from: "revision", revision: since });
    }}
  >
    <h2>As at a revision</h2>
    <p>The devices are set to what was planned then: what changed since is to be done.</p>
    <label>Revision <input class="field mono" type="number" min="1" max={revision} required bind:value={since} /> of {revision}</label>
    <button disabled={!since}>Order what changed since</button>
  </form>
  <form
    onsubmit={(e) => {
      e.preventDefault();
      onmake({ from: "factory", devices: fresh });
    }}
  >
    <h2>New devices</h2>
    <p>They come from the factory and are not there yet; all others are as planned.</p>
    <fieldset>
      {#each devices as d (d)}
        <label><input type="checkbox" value={d} bind:group={fresh} /> {d}</label>
      {/each}
    </fieldset>
    <button disabled={!fresh.length}>Order them in</button>
  </form>
  {#if been}<button class="leave" onclick={onleave}>Leave it as it is</button>{/if}
</section>

<style>
  .start {
    display: grid;
    grid-template-columns: repeat(auto-fit, minmax(260px, 1fr));
    gap: 12px;
    margin-top: 12px;
  }
  .start > :not(.leave) {
    border: 1px solid var(--hair);
    background: var(--panel);
    padding: 10px 12px;
    display: flex;
    flex-direction: column;
    gap: 8px;
  }
  h2 {
    font-weight: 700;
  }
  p {
    color: var(--soft);
    flex: 1;
  }
  fieldset {
    display: flex;
    flex-wrap: wrap;
    gap: 2px 12px;
  }
  input[type="number"] {
    width: 90px;
  }
  .leave {
    justify-self: start;
    align-self: start;
  }
</style>
