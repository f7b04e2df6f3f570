import type { Device, Finding, Port } from "../api/client";

/** One column of the board: a port, or neighbouring ports with the same shape. */
export interface Column {
  device: string;
  /** All ports in it, as device.port; what is set is set on all of them. */
  ports: string[];
  /** The first port: the others look the same. */
  port: Port;
  label: string;
  /** Nothing is in it and nothing hangs on it. */
  blank: boolean;
  x: number;
  width: number;
}

export interface Group {
  device: Device;
  columns: Column[];
  x: number;
  width: number;
}

export interface Layout {
  groups: Group[];
  columns: Column[];
  width: number;
}

const same = (a: number[], b: number[]) => a.length === b.length && a.every((v, i) => v === b[i]);

/** Two ports that fold into one column: alike in all that the board shows. */
function alike(a: Port, b: Port): boolean {
  return (
    a.kind === "physical" &&
    b.kind === "physical" &&
    !a.cabled &&
    !b.cabled &&
    a.pvid === b.pvid &&
    !!a.off === !!b.off &&
    (a.source === "exception") === (b.source === "exception") &&
    a.use === b.use &&
    same(a.untagged, b.untagged) &&
    same(a.tagged, b.tagged)
  );
}

/** The name of a run of ports, as short as it can be read: lan2–4, 9–12. */
export function runName(first: string, last: string): string {
  if (first === last) return first;
  const stem = /^(.*?)(\d+)$/.exec(first);
  const end = /^(.*?)(\d+)$/.exec(last);
  if (stem && end && stem[1] === end[1]) return `${first}–${end[2]}`;
  return `${first}–${last}`;
}

const none = new Map<string, string>();

/** Folds a device's ports; a bundle stands where its first member is. */
export function fold(d: Device, unfolded: Set<string>, found: Map<string, string> = none): Folded {
  const shown: Port[] = [];
  const byName = new Map(d.ports.map((p) => [p.name, p]));
  const placed = new Set<string>();
  for (const p of d.ports) {
    const p2 = p.bundle ? byName.get(p.bundle) : p;
    if (!p2 || placed.has(p2.name)) continue;
    placed.add(p2.name);
    shown.push(p2);
  }
  const out: Omit<Column, "x" | "width">[] = [];
  for (let i = 0; i < shown.length;) {
    const first = shown[i]!;
    let j = i + 1;
    const as = (p: Port) => found.get(`${d.name}.${p.name}`);
    const loose = (p: Port) => !unfolded.has(`${d.name}.${p.name}`);
    while (j < shown.length && loose(first) && loose(shown[j]!) && alike(first, shown[j]!) && as(first) === as(shown[j]!)) j++;
    const run = shown.slice(i, j);
    out.push({
      device: d.name,
      ports: run.map((p) => `${d.name}.${p.name}`),
      port: first,
      label: runName(first.name, run.at(-1)!.name),
      blank:
        !first.untagged.length &&
        !first.tagged.length &&
        !first.cabled &&
        !first.pvid &&
        d.forwarding.startsWith("unaware") === false &&
        run.every((p) => !p.plugs),
    });
    i = j;
  }
  return out;
}

export const gap = 8;
// All columns are as wide as the others, set or not: nothing moves under the
// pointer while one paints.
const narrowest = 18.5;
const widest = 30;

type Folded = Omit<Column, "x" | "width">[];

/** Devices as they were folded last: an edit changes one of them. */
const folds = new WeakMap<Device, { unfolded: Set<string>; found: Map<string, string>; columns: Folded }>();

function foldOnce(d: Device, unfolded: Set<string>, found: Map<string, string>): Folded {
  const was = folds.get(d);
  if (was && was.unfolded === unfolded && was.found === found) return was.columns;
  const columns = fold(d, unfolded, found);
  folds.set(d, { unfolded, found, columns });
  return columns;
}

/** The columns of each device as they were laid out last, by its name: those that say the same stay the same objects. */
const before = new Map<string, Column[]>();

function reuse(device: string, now: Column[]): Column[] {
  const old = new Map(before.get(device)?.map((c) => [c.ports[0], c]));
  const out = now.map((c) => {
    const was = old.get(c.ports[0]!);
    return was &&
      was.port === c.port &&
      was.x === c.x &&
      was.width === c.width &&
      was.label === c.label &&
      was.blank === c.blank &&
      was.ports.length === c.ports.length
      ? was
      : c;
  });
  before.set(device, out);
  return out;
}

/** Groups as they were laid out last, so that what stays is not drawn again. */
const laid = new WeakMap<Device, { unfolded: Set<string>; found: Map<string, string>; group: Group; each: number }>();

/** Lays the columns out so that the office fits, where it can. */
export function layout(devices: Device[], order: string[], unfolded: Set<string>, room: number, found: Map<string, string> = none): Layout {
  const byName = new Map(devices.map((d) => [d.name, d]));
  const folded = order.flatMap((n) => {
    const d = byName.get(n);
    return d ? [{ device: d, columns: foldOnce(d, unfolded, found) }] : [];
  });
  const count = folded.reduce((n, g) => n + g.columns.length, 0);
  const left = room - (folded.length + 1) * gap;
  const width = Math.max(narrowest, Math.min(widest, Math.floor((2 * left) / Math.max(1, count)) / 2));
  let x = gap;
  const groups: Group[] = [];
  const columns: Column[] = [];
  for (const g of folded) {
    const start = x;
    const was = laid.get(g.device);
    if (was && was.unfolded === unfolded && was.found === found && was.group.x === start && was.each === width) {
      groups.push(was.group);
      columns.push(...was.group.columns);
      x = start + was.group.width + gap;
      continue;
    }
    const cs = reuse(
      g.device.name,
      g.columns.map((c) => {
        const w = width;
        const column = { ...c, x, width: w };
        x += w;
        return column;
      }),
    );
    columns.push(...cs);
    const group = { device: g.device, columns: cs, x: start, width: x - start };
    laid.set(g.device, { unfolded, found, group, each: width });
    groups.push(group);
    x += gap;
  }
  return { groups, columns, width: x };
}

/** Runs of neighbouring columns of one device with the same use, as they are named under the ports. */
export function useRuns(columns: Column[]): { name: string; x: number; width: number }[] {
  const out: { name: string; device: string; x: number; width: number }[] = [];
  for (const c of columns) {
    const last = out.at(-1);
    if (!c.port.use) continue;
    if (last && last.name === c.port.use && last.device === c.device && last.x + last.width === c.x) last.width += c.width;
    else out.push({ name: c.port.use, device: c.device, x: c.x, width: c.width });
  }
  return out;
}

/** The worst of the findings that are about each port. */
export function worst(findings: Finding[]): Map<string, Finding["severity"]> {
  const rank = { breaks: 0, risk: 1, tidy: 2 };
  const out = new Map<string, Finding["severity"]>();
  for (const f of findings) {
    if (f.cause && f.code !== "many-untagged") continue;
    for (const p of f.ports) {
      const was = out.get(p);
      if (!was || rank[f.severity] < rank[was]) out.set(p, f.severity);
    }
  }
  return out;
}
