import type { Device, Port } from "../api/client";
import { noted } from "../devices/noted";
import { quote, ref } from "../line/quote";
import type { Sight } from "../state/seen.svelte";

/** A row of the list: a port. */
export interface Row {
  key: string; // rack.5
  device: Device;
  port: Port;
  /** What the device told of the port, where it was asked: up or down, and which cards are heard there. */
  sight?: Sight | undefined;
}

/** The columns, in order; keys name a row and are not typed in; what is seen is there where devices are asked. */
export const columns = ["device", "port", "socket", "hangs", "shape", "cable", "speed", "note", "link", "seen"] as const;
/** Columns of what devices tell. */
export const told: readonly Column[] = ["link", "seen"];
export type Column = (typeof columns)[number];
export const heads: Record<Column, string> = {
  device: "Device",
  port: "Port",
  socket: "Socket",
  hangs: "What hangs there",
  shape: "Use or shape",
  cable: "Cable to",
  speed: "Speed",
  note: "Note",
  link: "Link",
  seen: "Seen there",
};
/** Widths of columns; those that are not here share what is left. */
export const widths: Partial<Record<Column, string>> = {
  device: "120px",
  port: "92px",
  socket: "92px",
  shape: "190px",
  cable: "132px",
  speed: "66px",
  link: "66px",
  seen: "260px",
};
export const typed = (c: Column) => c !== "device" && c !== "port" && c !== "speed" && !told.includes(c);

/** All ports of some devices, device by device, each with what is seen there. */
export function rowsOf(devices: Device[], sights?: ReadonlyMap<string, Sight>): Row[] {
  return devices.flatMap((device) =>
    device.ports.map((port) => {
      const key = `${device.name}.${port.name}`;
      return { key, device, port, sight: sights?.get(key) };
    }),
  );
}

/** What rows can be put together by. */
export const groups = ["device", "vlan", "socket", "place"] as const;
export type Group = (typeof groups)[number];

/** What a row belongs to, and where that stands among the others: numbers by size, what belongs to nothing last. */
export function groupOf(row: Row, by: Group, name: (vid: number) => string): string {
  const { device, port } = row;
  switch (by) {
    case "device":
      return [device.name, device.facts?.place].filter(Boolean).join(", ");
    case "vlan": {
      const vid = plain(port);
      if (vid) return `${vid} ${name(vid)}`.trim();
      return port.tagged.length ? "tagged alone" : "in no VLAN";
    }
    case "socket": // those of one panel or room: A-12 and A-13, 0.01 and 0.02
      return /^(.*?)[.\-/ ]?\d+$/.exec(port.facts?.socket ?? "")?.[1] || port.facts?.socket || "no socket";
    case "place":
      return device.facts?.place ?? "no place";
  }
}

/** A line of the list: a row by its index, or the head of a group. */
export type Line = { row: number } | { head: string; count: number };

/** Rows put together by what they belong to, in the order of that; the rows themselves keep theirs. */
export function grouped(rows: Row[], by: Group | "", name: (vid: number) => string): { rows: Row[]; lines: Line[] } {
  if (!by) return { rows, lines: rows.map((_, row) => ({ row })) };
  const of = new Map<string, Row[]>();
  for (const row of rows) {
    const head = groupOf(row, by, name);
    const there = of.get(head);
    if (there) there.push(row);
    else of.set(head, [row]);
  }
  const compare = new Intl.Collator(undefined, { numeric: true }).compare;
  const last = (head: string) => /^(no |in no |tagged alone)/.test(head);
  const heads = [...of.keys()];
  if (by !== "device") heads.sort((a, b) => Number(last(a)) - Number(last(b)) || compare(a, b));
  const out: Row[] = [];
  const lines: Line[] = [];
  for (const head of heads) {
    lines.push({ head, count: of.get(head)!.length });
    for (const row of of.get(head)!) {
      lines.push({ row: out.length });
      out.push(row);
    }
  }
  return { rows: out, lines };
}

/** All that a row can be found by. */
export function textOf(row: Row): string {
  const { device, port } = row;
  const facts = [port.facts, ...(port.plugs ?? []).map((g) => g.facts)].flatMap((f) => Object.values(f ?? {}));
  const plugs = (port.plugs ?? []).flatMap((g) => [g.at, g.mac]);
  return [...columns.map((c) => cell(row, c)), ...facts, ...plugs, device.facts?.place].join(" ").toLowerCase();
}

/** The VLAN that comes to whoever looks at no tags; 0 for none. */
const plain = (p: Port) => (p.untagged.includes(p.pvid) ? p.pvid : (p.untagged[0] ?? 0));

type Plug = NonNullable<Port["plugs"]>[number];
const says = (p: Port, g: Plug) => g.name + (g.tagged ? ` [${g.wants}]` : g.wants === plain(p) ? "" : ` (${g.wants})`);

/** What stands in a cell. */
export function cell(row: Row, column: Column): string {
  const { port, device } = row;
  switch (column) {
    case "device":
      return device.name;
    case "port":
      return port.name;
    case "socket":
    case "note":
      return port.facts?.[column] ?? "";
    case "hangs":
      return (port.plugs ?? []).map((g) => says(port, g)).join("; ");
    case "shape":
      return port.bundle ? `in ${port.bundle}` : port.shape;
    case "cable":
      return (port.cabled ?? []).map((c) => c.replace(".", " ")).join("; ");
    case "speed":
      return port.speed ?? "";
    case "link":
      return row.sight?.link ?? "";
    case "seen":
      return row.sight?.words.join("; ") ?? "";
  }
}

/** Why a cell cannot be typed in; "" where it can. */
export function fixed(row: Row, column: Column): string {
  if (told.includes(column)) return `${heads[column]}: that is what ${row.device.name} told when it was last asked.`;
  if (!typed(column)) return `${heads[column]} is not typed here.`;
  if (column === "shape" && row.port.bundle)
    return `${row.key.replace(".", " ")} is in the bundle ${row.port.bundle}, which has the shape.`;
  if ((column === "cable" || column === "hangs") && row.port.kind === "bundle") return "Cables and what hangs there are its members'.";
  return "";
}

/** The statements that make a cell say a text, none where it does; an error where the text says nothing. */
export function statements(row: Row, column: Column, text: string): string[] {
  text = text.trim();
  if (text === cell(row, column)) return [];
  const why = fixed(row, column);
  if (why) throw new Error(why);
  const { device, port } = row;
  const at = ref(row.key);
  switch (column) {
    case "socket":
    case "note":
      return [noted(`${device.name} port ${quote(port.name)}`, column, text)];
    case "shape":
      return [`${device.name} ${quote(port.name)}: ${text || "-"}${port.because ? ` because ${JSON.stringify(port.because)}` : ""}`];
    case "cable": {
      const want = text
        .split(";")
        .map((c) => c.trim())
        .filter(Boolean)
        .map((c) => (c.includes(".") ? c : c.replace(/\s+/, ".")));
      const have = port.cabled ?? [];
      return [
        ...have.filter((c) => !want.includes(c)).map((c) => `-cable ${at} ${ref(c)}`),
        ...want.filter((c) => !have.includes(c)).map((c) => `cable ${at} ${ref(c)}`),
      ];
    }
    case "hangs":
      return hang(row, text);
    default:
      return [];
  }
}

interface Wanted {
  name: string;
  vlan: string; // "" for the one that comes there untagged
  tagged: boolean;
}

/** Reads what hangs somewhere: pc; phone [140]; camera (170). */
export function read(text: string): Wanted[] {
  return text
    .split(/;|\n/)
    .map((t) => t.trim())
    .filter(Boolean)
    .map((t) => {
      const m = /^(.*?)\s*(?:\[([^\]]+)\]|\((\d+)\))$/.exec(t);
      return m?.[1] ? { name: m[1], vlan: (m[2] ?? m[3])!, tagged: !!m[2] } : { name: t, vlan: "", tagged: false };
    });
}

/** The statement that plugs something in. */
const plugs = (at: string, name: string, vlan: string, tagged: boolean, own: Partial<Plug> = {}) =>
  [
    `plug ${at} ${JSON.stringify(name)} wants ${vlan}`,
    tagged ? "tagged" : "",
    own.operator ? "operator" : "",
    own.at ? `at ${own.at}` : "",
    own.mac ? `card ${own.mac}` : "",
    own.facts?.note ? `note ${JSON.stringify(own.facts.note)}` : "",
  ]
    .filter(Boolean)
    .join(" ");

function hang(row: Row, text: string): string[] {
  const have = row.port.plugs ?? [];
  const want = read(text);
  const at = ref(row.key);
  const twice = want.find((w, i) => want.findIndex((x) => x.name === w.name) !== i);
  if (twice) throw new Error(`${twice.name} stands there twice.`);
  const gone = have.filter((g) => !want.some((w) => w.name === g.name));
  const come = want.filter((w) => !have.some((g) => g.name === w.name));
  const out = gone.map((g) => `-plug ${at} ${JSON.stringify(g.name)}`);
  for (const w of want) {
    // One name for another is another name of the same: what is known of it stays.
    const was = have.find((g) => g.name === w.name) ?? (gone.length === 1 && come.length === 1 && w === come[0] ? gone[0] : undefined);
    const vlan = w.vlan || String(plain(row.port) || "");
    if (!vlan)
      throw new Error(
        `${row.key.replace(".", " ")} gives no VLAN without a tag: write which ${w.name} wants, as in ${w.name} [140] or ${w.name} (110).`,
      );
    if (was && was.name === w.name && String(was.wants) === vlan && was.tagged === w.tagged) continue;
    out.push(plugs(at, w.name, vlan, w.tagged, was));
  }
  return out;
}

/** The statements that move what hangs at ports to as many others, in order. */
export function moves(from: Row[], to: Row[]): string[] {
  return from.flatMap((row, i) => {
    const target = to[i];
    if (!target || target.key === row.key) return [];
    return (row.port.plugs ?? []).flatMap((g) => [
      `-plug ${ref(row.key)} ${JSON.stringify(g.name)}`,
      plugs(ref(target.key), g.name, String(g.wants), g.tagged, g),
    ]);
  });
}

/** A block of cells as a table of text: with its heads and keys where it is more than a column. */
export function copied(rows: Row[], of: readonly Column[]): string[][] {
  if (of.length < 2) return rows.map((r) => of.map((c) => cell(r, c)));
  const all: Column[] = [...(["device", "port"] as Column[]).filter((c) => !of.includes(c)), ...of];
  return [all.map((c) => heads[c]), ...rows.map((r) => all.map((c) => cell(r, c)))];
}

/** A table of text as a clipboard has it, with tabs; a cell with a tab, a line break or a quote is quoted. */
export const tsv = (table: string[][]) =>
  table.map((r) => r.map((c) => (/["\t\n]/.test(c) ? `"${c.replaceAll('"', '""')}"` : c)).join("\t")).join("\n");

/** Reads what [tsv], or a spreadsheet, put on the clipboard. */
export function untsv(text: string): string[][] {
  const out: string[][] = [[]];
  let field = "";
  let quoted = false;
  text = text.replace(/\r\n?/g, "\n").replace(/\n$/, "");
  for (let i = 0; i < text.length; i++) {
    const c = text[i]!;
    if (quoted) {
      if (c === '"' && text[i + 1] === '"') ((field += '"'), i++);
      else if (c === '"') quoted = false;
      else field += c;
    } else if (c === '"' && field === "") quoted = true;
    else if (c === "\t" || c === "\n") {
      out.at(-1)!.push(field);
      field = "";
      if (c === "\n") out.push([]);
    } else field += c;
  }
  out.at(-1)!.push(field);
  return out;
}

/** What a paste comes to: statements, and what of it finds no place. */
export interface Pasted {
  lines: string[];
  left: string[];
}

/** A table that was pasted at a cell: by the keys that it has, else from that cell on. */
export function pasted(rows: Row[], at: { row: number; column: number }, table: string[][]): Pasted {
  const out: Pasted = { lines: [], left: [] };
  const put = (row: Row, column: Column, text: string) => {
    if (!typed(column)) return;
    try {
      out.lines.push(...statements(row, column, text));
    } catch (e) {
      out.left.push(e instanceof Error ? e.message : String(e));
    }
  };
  const of = table[0]!.map((h) => columns.find((c) => heads[c].toLowerCase() === h.trim().toLowerCase()));
  if (of.includes("device") && of.includes("port")) {
    for (const line of table.slice(1)) {
      const key = `${line[of.indexOf("device")] ?? ""}.${line[of.indexOf("port")] ?? ""}`;
      const row = rows.find((r) => r.key === key);
      if (!row) out.left.push(`There is no port ${key.replace(".", " ")}.`);
      else of.forEach((c, k) => c && line[k] !== undefined && put(row, c, line[k]));
    }
    return out;
  }
  table.forEach((line, i) => {
    const row = rows[at.row + i];
    if (!row) return void out.left.push(`There is no row for ${line.join(", ")}.`);
    line.forEach((text, k) => {
      const column = columns[at.column + k];
      if (column) put(row, column, text);
      else out.left.push(`There is no column for ${text}.`);
    });
  });
  return out;
}
