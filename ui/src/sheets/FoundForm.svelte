<script lang="ts">
  import { Button, Fileupload, Select, Textarea } from "flowbite-svelte";
  import { count } from "../shell/plural";
  import { api, type Device, type FoundAnswer, type FoundRequest, type FoundState } from "../api/client";
  import { quote, runs } from "../line/quote";
  import { office } from "../state/office.svelte";

  let { device, onkept, last }: { device: Device; onkept: () => void; last: FoundState | null } = $props();

  const most = 2.5 * 1024 * 1024;
  let text = $state("");
  let base = $state<"plan" | "factory" | "found">("plan");
  let answer = $state.raw<FoundAnswer | null>(null);
  let problem = $state("");
  let request = $state.raw<FoundRequest | null>(null);
  let timer: ReturnType<typeof setTimeout> | undefined;

  async function ask(q: FoundRequest) {
    problem = "";
    try {
      answer = await api.found(office.view!.id, q);
      request = q;
    } catch (e) {
      answer = null;
      request = null;
      problem = e instanceof Error ? e.message : String(e);
    }
  }
  function typed() {
    clearTimeout(timer);
    answer = null;
    request = null;
    problem = "";
    if (text.trim()) timer = setTimeout(() => void ask({ device: device.name, text, base, how: "typed in" }), 250);
  }
  async function file(list: FileList | null) {
    const f = list?.[0];
    if (!f) return;
    if (f.size > most) {
      problem = `${f.name} has ${(f.size / 1048576).toFixed(1)} MB: at most 2.5 MB are read.`;
      return;
    }
    const how = `read from ${f.name}`.slice(0, 100);
    if (/\.xlsx$/i.test(f.name)) {
      const bytes = new Uint8Array(await f.arrayBuffer());
      let s = "";
      for (let i = 0; i < bytes.length; i += 8192) s += String.fromCharCode(...bytes.subarray(i, i + 8192));
      await ask({ device: device.name, book: btoa(s), base, how });
    } else await ask({ device: device.name, text: await f.text(), base, how });
  }
  async function keep() {
    if (!request) return;
    try {
      await api.found(office.view!.id, { ...request, keep: true });
      text = "";
      answer = null;
      request = null;
      onkept();
    } catch (e) {
      problem = e instanceof Error ? e.message : String(e);
    }
  }
  /** The ports as they are taken to be, in notation, to be changed where they are otherwise. */
  function writeOut() {
    const by = new Map<string, string[]>();
    for (const p of device.ports) {
      if (p.bundle) continue;
      const shape =
        base === "found" && last
          ? (last.ports.find((x) => x.port === p.name)?.shape ?? "-")
          : base === "factory"
            ? p.kind === "inner" || device.wording?.startsWith("by-sub")
              ? "-"
              : "1"
            : p.off
              ? "off"
              : `${p.untagged.join("+") || (p.tagged.length ? "" : "-")}${p.tagged.length ? ` [${p.tagged.join(" ")}]` : ""}${p.pvid !== (p.untagged.length === 1 ? p.untagged[0] : 0) ? ` pvid ${p.pvid || "none"}` : ""}`.trim();
      by.set(shape, [...(by.get(shape) ?? []), quote(p.name)]);
    }
    text = [...by].map(([shape, names]) => `${runs(names).join(",").replaceAll("–", "-")}: ${shape}`).join("\n");
    typed();
  }
  function start(from: "plan" | "factory" | "found") {
    base = from;
    if (request) void ask({ ...request, base });
  }
</script>

<section id="found">
  <h2 class="font-bold">As it is now</h2>
  <p class="help mb-1 text-[12.5px] text-soft">
    Paste what the device shows: lines such as <code class="mono">1-8: 110</code>, a table by VLAN or by port, a grid of U and T, or what
    <code class="mono">bridge vlan show</code> prints.
    {#if device.routing}Of a device that routes also its rules, routes and addresses, all of them:
      <code class="mono">allow 110 to 130 tcp/9100</code>.{/if}
  </p>
  <Textarea
    class="field mono"
    id="found-text"
    rows={6}
    bind:value={text}
    oninput={typed}
    aria-label={`What ${device.name} is set to`}
    spellcheck="false"
    placeholder={"VLAN; Untagged; Tagged\n110; 1-8,24; 23"}
  ></Textarea>
  <p class="row mt-1.5 text-[13px]">
    <label
      >or a file <Fileupload
        id="found-file"
        accept=".csv,.tsv,.txt,.json,.xlsx,.klm"
        onchange={(e) => void file((e.target as HTMLInputElement).files).finally(() => ((e.target as HTMLInputElement).value = ""))}
      /></label
    >
  </p>
  <p class="row mt-1.5 text-[13px]">
    <label
      >Ports that it does not mention are
      <Select placeholder="" classes={{ select: "field" }} value={base} onchange={(e) => start(e.currentTarget.value as typeof base)}>
        <option value="plan">as planned</option>
        <option value="factory">as from the factory</option>
        {#if last}<option value="found">as found last</option>{/if}
      </Select>
    </label>
    <Button onclick={writeOut} data-tip="Puts every port into the text above, as it would be taken: to be corrected there"
      >List all ports above</Button
    >
  </p>
  {#if problem}<p class="wrong" role="alert">{problem}</p>{/if}
  {#if answer}
    <div role="status" id="understood">
      <p>
        Understood as {answer.form}: {count(answer.said, "port")}; {count(answer.found.differences.length, "differs", "differ")} from the plan.
        {#if answer.routing}Of its {answer.routing.tells.join(", ")}: {count(answer.routing.lines.length, "statement")}.{/if}
      </p>
      {#if answer.trouble.length}
        <p class="wrong">Not understood, and left out:</p>
        <ul class="mb-1.5 overflow-auto text-[13px] max-h-40">
          {#each answer.trouble.slice(0, 30) as t, i (i)}<li>
              <span class="mono text-soft">{t.row}{t.column ? `:${t.column}` : ""}</span>
              {t.text}
            </li>{/each}
        </ul>
        {#if answer.trouble.length > 30}<p>and {answer.trouble.length - 30} more</p>{/if}
      {/if}
      <Button class="main" id="keep-found" disabled={!answer.said && !answer.routing} onclick={keep}>Keep it as found</Button>
    </div>
  {/if}
</section>

<style>
  section :global(textarea) {
    width: 100%;
    font-size: 13px;
  }
</style>
