<script lang="ts">
  import { api, type IntakeAnswer, type IntakeRequest } from "../api/client";
  import { office } from "../state/office.svelte";
  import { place } from "../state/place.svelte";

  let { name, what, onclose }: { name: string; what: Pick<IntakeRequest, "book" | "text">; onclose: () => void } = $props();

  type Grid = IntakeAnswer["grids"][number];
  const kinds = ["switch", "router", "firewall", "wap", "host", "other"];
  let into = $state("0");
  // svelte-ignore state_referenced_locally
  let title = $state(name.replace(/\.(xlsx|csv)$/i, ""));
  let grids = $state<Grid[]>([]);
  let answer = $state.raw<IntakeAnswer | null>(null);
  let problem = $state("");
  let busy = $state(false);

  async function ask(take = false) {
    busy = true;
    problem = "";
    try {
      const a = await api.intake({ ...what, name, into: Number(into), title: into === "0" && !answer?.exact ? title : "", choices: grids.map(({ sheet, row, device, kind, skip }) => ({ sheet, row, device, kind, skip })), take });
      answer = a;
      grids = a.grids;
      if (a.office) {
        office.offices = await api.offices();
        place.go(`/${a.office.id}`);
      }
    } catch (e) {
      problem = e instanceof Error ? e.message : String(e);
    } finally {
      busy = false;
    }
  }
  void ask();
</script>

<section class="panel" aria-label={`What ${name} says`}>
  <h2>What {name} says</h2>
  {#if busy}<p class="soft" role="status">Reading…</p>{/if}
  {#if problem}<p class="wrong" role="alert">{problem}</p>{/if}
  {#if answer}
    {#if answer.exact}<p class="soft">A workbook that Klammer wrote: the whole office is in it, and what was changed in its grids is taken too.</p>{/if}
    {#if grids.length}
      <table>
        <thead><tr><th scope="col">take</th><th scope="col">device</th><th scope="col">kind</th><th scope="col">ports</th><th scope="col">where it stands</th></tr></thead>
        <tbody>
          {#each grids as g, i (`${g.sheet} ${g.row}`)}
            <tr>
              <td><input type="checkbox" aria-label={`Take ${g.device}`} checked={!g.skip} onchange={() => ((g.skip = !g.skip), void ask())} /></td>
              <td><input class="field mono" aria-label={`The device of grid ${i + 1}`} bind:value={g.device} onchange={() => void ask()} /></td>
              <td><select class="field" aria-label={`The kind of ${g.device}`} bind:value={g.kind} onchange={() => void ask()}>{#each kinds as k (k)}<option>{k}</option>{/each}</select></td>
              <td class="mono">{g.ports}</td>
              <td class="soft">{g.sheet}, row {g.row}, {g.down ? "VLANs" : "ports"} down</td>
            </tr>
          {/each}
        </tbody>
      </table>
    {:else}
      <p>No grid was found: a row of ports and a column of VLANs, or the other way round, with U, T or words in the cells.</p>
    {/if}
    {#if answer.vlans.length}<p><b>VLANs</b> <span class="mono">{answer.vlans.slice(0, 40).join(", ")}{answer.vlans.length > 40 ? ` and ${answer.vlans.length - 40} more` : ""}</span></p>{/if}
    {#if answer.trouble.length}
      <p class="wrong">{answer.trouble.length === 1 ? "One cell was" : `${answer.trouble.length} cells were`} not understood, and left out:</p>
      <ul class="trouble">{#each answer.trouble.slice(0, 50) as t, i (i)}<li><span class="mono">{t.sheet}, row {t.row}{t.column ? `, column ${t.column}` : ""}</span> {t.text}</li>{/each}</ul>
    {/if}
    <details>
      <summary>{answer.lines.length ? `${answer.lines.length + answer.more} lines would change` : "Nothing would change"}</summary>
      <pre class="mono">{answer.lines.join("\n")}{answer.more ? `\n… and ${answer.more} more` : ""}</pre>
    </details>
    <form onsubmit={(e) => (e.preventDefault(), void ask(true))}>
      <label>Into <select class="field" bind:value={into} onchange={() => void ask()}><option value="0">a new office</option>{#each office.offices as o (o.id)}<option value={String(o.id)}>{o.title}</option>{/each}</select></label>
      {#if into === "0" && !answer.exact}<label>named <input class="field" id="intake-title" bind:value={title} /></label>{/if}
      <button class="main" disabled={busy || (!answer.lines.length && !answer.exact)}>Take it</button>
      <button type="button" onclick={onclose}>Close, take nothing</button>
    </form>
  {/if}
</section>

<style>
  section {
    display: grid;
    gap: 8px;
    margin-top: 12px;
  }
  h2 {
    font-weight: 700;
  }
  table {
    border-collapse: collapse;
    font-size: 13.5px;
  }
  th {
    text-align: left;
    font-weight: 650;
    border-bottom: 1.5px solid var(--ink);
    padding-right: 10px;
  }
  td {
    padding: 2px 10px 2px 0;
  }
  .soft {
    color: var(--soft);
  }
  .trouble {
    max-height: 180px;
    overflow: auto;
    font-size: 13px;
  }
  pre {
    max-height: 260px;
    overflow: auto;
    font-size: 12px;
    border: 1px solid var(--hair);
    padding: 8px;
  }
  form {
    display: flex;
    flex-wrap: wrap;
    gap: 10px;
    align-items: center;
  }
</style>
