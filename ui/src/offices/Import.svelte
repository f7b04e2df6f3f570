<script lang="ts">
  import { Fileupload } from "flowbite-svelte";
  import { api, Refused, type Mistake } from "../api/client";
  import { place } from "../state/place.svelte";
  import Intake from "./Intake.svelte";

  /** The server reads at most this much; said here before it is sent. */
  const most = 4 * 1024 * 1024;
  let mistakes = $state.raw<Mistake[]>([]);
  let problem = $state("");
  let file = $state("");
  let busy = $state(false);
  let tables = $state.raw<{ name: string; what: { book?: string; text?: string } } | null>(null);

  /** A file's bytes in base64, in pieces that fit a call. */
  async function base64(f: File): Promise<string> {
    const bytes = new Uint8Array(await f.arrayBuffer());
    let text = "";
    for (let i = 0; i < bytes.length; i += 0x8000) text += String.fromCharCode(...bytes.subarray(i, i + 0x8000));
    return btoa(text);
  }

  async function read(list: FileList | null) {
    const f = list?.[0];
    mistakes = [];
    problem = "";
    if (!f) return;
    file = f.name;
    if (f.size > most) {
      problem = `${f.name} has ${(f.size / 1048576).toFixed(1)} MB: at most 4 MB are read at once. Nothing was changed.`;
      return;
    }
    tables = null;
    if (/\.xlsx$/i.test(f.name)) return void (tables = { name: f.name, what: { book: await base64(f) } });
    if (/\.(csv|tsv)$/i.test(f.name)) return void (tables = { name: f.name, what: { text: await f.text() } });
    busy = true;
    try {
      const made = await api.create({ text: await f.text(), title: "" });
      place.go(`/${made.id}`);
    } catch (e) {
      mistakes = e instanceof Refused ? e.mistakes : [];
      problem = mistakes.length
        ? `${f.name} has ${mistakes.length === 1 ? "a mistake" : `${mistakes.length} mistakes`}. Nothing was changed.`
        : e instanceof Error
          ? e.message
          : String(e);
    } finally {
      busy = false;
    }
  }
</script>

<section class="pt-3 border-t border-hair">
  <label
    >Read an office from a file: <span class="mono text-soft">.klm</span>, or your own plan as <span class="mono text-soft">.xlsx</span> or
    <span class="mono text-soft">.csv</span>
    <Fileupload
      id="import"
      accept=".klm,.xlsx,.csv,.tsv,text/plain"
      onchange={(e) => void read((e.target as HTMLInputElement).files).finally(() => ((e.target as HTMLInputElement).value = ""))}
    /></label
  >
  {#if busy}<p role="status">Reading {file}…</p>{/if}
  {#if tables}{#key tables}<Intake name={tables.name} what={tables.what} onclose={() => (tables = null)} />{/key}{/if}
  {#if problem}<p class="wrong" role="alert" id="import-problem">{problem}</p>{/if}
  {#if mistakes.length}
    <ol class="mistakes px-3 py-1.5 border border-hair overflow-auto max-h-75 bg-panel text-[13.5px]" aria-label={`Mistakes in ${file}`}>
      {#each mistakes.slice(0, 200) as m, i (i)}<li><span class="mono text-soft">{m.line}:{m.column}</span> {m.text}</li>{/each}
    </ol>
  {/if}
</section>

<style>
  label :global(input) {
    margin-left: 8px;
  }
</style>
