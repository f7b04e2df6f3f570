<script lang="ts">
  import { Button, Checkbox, Input, Select, Table } from "flowbite-svelte";
  import { count } from "../shell/plural";
  import { kinds } from "../api/words";
  import { api, type IntakeAnswer, type IntakeRequest } from "../api/client";
  import { office } from "../state/office.svelte";
  import { place } from "../state/place.svelte";
  import { alike, applied, bare, likewise, told, type Above, type Corrected, type Line } from "./picture";
  import Picture from "./Picture.svelte";

  let { name, what, onclose }: { name: string; what: Pick<IntakeRequest, "book" | "text">; onclose: () => void } = $props();

  type Grid = IntakeAnswer["grids"][number];
  let into = $state("0");
  // svelte-ignore state_referenced_locally
  let title = $state(name.replace(/\.(xlsx|csv)$/i, ""));
  let grids = $state<Grid[]>([]);
  let answer = $state.raw<IntakeAnswer | null>(null);
  /** Cells that were corrected here, as they were and as they are. */
  let cells = $state.raw<Corrected[]>([]);
  /** What columns are that no head says, and rows that are left out. */
  let said = $state.raw<Above[]>([]);
  let out = $state.raw<Line[]>([]);
  let problem = $state("");
  let busy = $state(false);

  async function ask(take = false) {
    busy = true;
    problem = "";
    try {
      const a = await api.intake({
        ...what,
        name,
        into: Number(into),
        title: into === "0" && !answer?.exact ? title : "",
        choices: grids.map(({ sheet, row, device, kind, skip }) => ({ sheet, row, device, kind, skip })),
        cells: cells.map(({ sheet, row, column, text }) => ({ sheet, row, column, text })),
        heads: said,
        out,
        take,
      });
      const first = !answer;
      answer = a;
      grids = a.grids;
      const known = first ? applied(a) : [];
      if (known.length) {
        cells = known;
        grids = [];
        return await ask();
      }
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
  function correct(t: { sheet: string; row: number; column: number; is: string }, text: string) {
    if (text === t.is) return;
    const same = (c: Corrected) => c.sheet === t.sheet && c.row === t.row && c.column === t.column;
    cells = [...cells.filter((c) => !same(c)), { sheet: t.sheet, row: t.row, column: t.column, text, was: cells.find(same)?.was ?? t.is }];
    void ask();
  }
  /** A column is taken for what its head says: to take it for something else corrects the head. */
  function takeFor(sheet: IntakeAnswer["sheets"][number], row: number, column: number, role: string) {
    if (answer && bare(sheet, answer.regions, row)) {
      said = told(answer.regions, said, { sheet: sheet.name, row, column, role });
      return void ask();
    }
    const word = answer?.roles.find((r) => r.role === role)?.word;
    if (word) correct({ sheet: sheet.name, row, column, is: sheet.cells[row - 1]?.[column - 1] ?? "" }, word);
  }
  const at = (a: Line) => (b: Line) => a.sheet === b.sheet && a.row === b.row;
  /** Rows are left out and taken again; grids are found anew then. */
  function leave(rows: Line[], again = false) {
    out = again ? out.filter((l) => !rows.some(at(l))) : [...out, ...rows];
    grids = [];
    void ask();
  }
  const isWord = (text: string) => answer?.roles.find((r) => r.word === text)?.says;
  void ask();
</script>

<section class="panel intake mt-3 gap-2 grid grid-cols-1" aria-label={`What ${name} says`}>
  <h2 class="font-bold">What {name} says</h2>
  {#if busy}<p class="text-soft" role="status">Reading…</p>{/if}
  {#if problem}<p class="wrong" role="alert">{problem}</p>{/if}
  {#if answer}
    {#if answer.exact}<p class="text-soft">
        A workbook that Klammer wrote: the whole office is in it, and what was changed in its grids is taken too.
      </p>{/if}
    {#if grids.length}
      <Table>
        <thead
          ><tr
            ><th class="pr-2.5 border-b-[1.5px] border-ink text-left font-[650]" scope="col">take</th><th
              class="pr-2.5 border-b-[1.5px] border-ink text-left font-[650]"
              scope="col">device</th
            ><th class="pr-2.5 border-b-[1.5px] border-ink text-left font-[650]" scope="col">kind</th><th
              class="pr-2.5 border-b-[1.5px] border-ink text-left font-[650]"
              scope="col">ports</th
            ><th class="pr-2.5 border-b-[1.5px] border-ink text-left font-[650]" scope="col">where it stands</th></tr
          ></thead
        >
        <tbody>
          {#each grids as g, i (`${g.sheet} ${g.row}`)}
            <tr>
              <td class="py-0.5 pr-2.5"
                ><Checkbox aria-label={`Take ${g.device}`} checked={!g.skip} onchange={() => ((g.skip = !g.skip), void ask())} /></td
              >
              <td class="py-0.5 pr-2.5"
                ><Input
                  class="field mono"
                  aria-label={`The device of grid ${i + 1}`}
                  bind:value={g.device}
                  onchange={() => void ask()}
                /></td
              >
              <td class="py-0.5 pr-2.5"
                ><Select
                  placeholder=""
                  classes={{ select: "field" }}
                  aria-label={`The kind of ${g.device}`}
                  bind:value={g.kind}
                  onchange={() => void ask()}
                  >{#each kinds as k (k)}<option>{k}</option>{/each}</Select
                ></td
              >
              <td class="mono py-0.5 pr-2.5">{g.ports}</td>
              <td class="py-0.5 pr-2.5 text-soft">{g.sheet}, row {g.row}, {g.down ? "VLANs" : "ports"} down</td>
            </tr>
          {/each}
        </tbody>
      </Table>
    {:else}
      <p>
        No ports were found in it. What is read: a row of ports and a column of VLANs or the other way round, with U, T or words in the
        cells; a list with a row a port; a list of VLANs with the ports of each.
      </p>
    {/if}
    {#if answer.sheets.length}
      <details open>
        <summary>The file, and what its columns are taken for</summary>
        <div class="sheets py-1.5 gap-3.5 grid grid-cols-1">
          {#each answer.sheets as sheet (sheet.name)}
            <Picture
              {sheet}
              regions={answer.regions}
              roles={answer.roles}
              {said}
              {out}
              onrow={(row) => leave([{ sheet: sheet.name, row }], out.some(at({ sheet: sheet.name, row })))}
              ontake={(row, column, role) => takeFor(sheet, row, column, role)}
            />
          {/each}
        </div>
      </details>
    {/if}
    {#if answer.vlans.length}<p>
        <b>VLANs</b>
        <span class="mono"
          >{answer.vlans.slice(0, 40).join(", ")}{answer.vlans.length > 40 ? ` and ${answer.vlans.length - 40} more` : ""}</span
        >
      </p>{/if}
    {#if answer.kinds.length}
      <p class:wrong={answer.kinds.some((k) => k.frames)}>
        {count(
          answer.kinds.reduce((n, k) => n + k.count, 0),
          "thing",
          "things",
        )} to look at, by kind; what changes who hears whom comes first:
      </p>
      {#each answer.kinds as k (k.kind)}
        {@const of = answer.trouble.filter((t) => t.kind === k.kind)}
        <details open={k.frames} class="kind">
          <summary><b class:wrong={k.frames}>{k.count}</b> {k.says}</summary>
          <ul class="trouble overflow-auto max-h-45 text-[13px]">
            {#each of as t, i (i)}<li class="py-px gap-2 flex items-baseline">
                {#if t.column}<Input
                    class="field mono w-22.5! flex-none"
                    value={t.is}
                    maxlength={200}
                    aria-label={`Row ${t.row}, column ${t.column} of ${t.sheet}, corrected`}
                    onchange={(e) => correct(t, e.currentTarget.value)}
                  />{/if}
                <span><span class="mono">{t.sheet}, row {t.row}{t.column ? `, column ${t.column}` : ""}</span> {t.text}</span>
              </li>{/each}
            {#if k.count > of.length}<li class="py-px gap-2 flex items-baseline">and {k.count - of.length} more of this kind</li>{/if}
          </ul>
        </details>
      {/each}
    {:else if grids.length}
      <p class="text-soft">Every cell of it is taken.</p>
    {/if}
    {#each out as l (`${l.sheet} ${l.row}`)}
      {@const more = likewise(answer, l, out)}
      <p class="text-soft">
        {l.sheet}: row {l.row} is left out
        {#if more.length}<Button type="button" onclick={() => leave(more)}>and {more.length} more that begin so</Button>{/if}
        <Button type="button" onclick={() => leave([l], true)} aria-label={`Take row ${l.row} of ${l.sheet} again`}>take it again</Button>
      </p>
    {/each}
    {#each cells as c (`${c.sheet} ${c.row} ${c.column}`)}
      {@const more = isWord(c.text) ? alike(answer, c, cells) : []}
      <p class="text-soft">
        {#if isWord(c.text)}{c.sheet}: the column <b>{c.was}</b> is taken for {isWord(c.text)}
          {#if more.length}<Button type="button" onclick={() => ((cells = [...cells, ...more]), void ask())}
              >and {more.length} more called so</Button
            >{/if}
        {:else}{c.sheet}, row {c.row}, column {c.column} is read as <b class="mono">{c.text || "empty"}</b>, not {c.was || "empty"}{/if}
        <Button
          type="button"
          onclick={() => ((cells = cells.filter((x) => x !== c)), void ask())}
          aria-label={`Row ${c.row}, column ${c.column} as it was`}>as it was</Button
        >
      </p>
    {/each}
    <details>
      <summary>{answer.lines.length ? `${answer.lines.length + answer.more} lines would change` : "Nothing would change"}</summary>
      <pre class="mono p-2 border border-hair overflow-auto max-h-65 text-[12px]">{answer.lines.join("\n")}{answer.more
          ? `\n… and ${answer.more} more`
          : ""}</pre>
    </details>
    <form class="gap-2.5 flex flex-wrap items-center" onsubmit={(e) => (e.preventDefault(), void ask(true))}>
      <label
        >Into <Select placeholder="" classes={{ select: "field" }} bind:value={into} onchange={() => void ask()}
          ><option value="0">a new office</option>{#each office.offices as o (o.id)}<option value={String(o.id)}>{o.title}</option
            >{/each}</Select
        ></label
      >
      {#if into === "0" && !answer.exact}<label>named <Input class="field" id="intake-title" bind:value={title} /></label>{/if}
      <Button type="submit" class="main" disabled={busy || (!answer.lines.length && !answer.exact)}>Take it</Button>
      <Button type="button" onclick={onclose}>Close, take nothing</Button>
    </form>
  {/if}
</section>

<style>
  section :global(table) {
    border-collapse: collapse;
    font-size: 13.5px;
  }
</style>
