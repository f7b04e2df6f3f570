import { tick } from "svelte";
import { mends } from "../state/mends.svelte";
import { office } from "../state/office.svelte";
import { pending } from "../state/pending.svelte";
import { place } from "../state/place.svelte";
import { rows } from "../state/rows.svelte";
import { selection } from "../state/selection.svelte";
import { setting, ref } from "../line/quote";
import { clip } from "./clip";
import type { Layout } from "./fold";

/** The first column of the next device, or of this or the one before. */
function byDevice(plan: Layout, step: number): number {
  const starts = plan.groups.map((g) => plan.columns.indexOf(g.columns[0]!)).filter((i) => i >= 0);
  const at = selection.cursor.column;
  return step > 0 ? (starts.find((s) => s > at) ?? at) : (starts.findLast((s) => s < at) ?? 0);
}

/** Folds or unfolds, and stays at the port. */
async function refold(turn: () => string | undefined) {
  const vid = selection.vlan?.vid;
  const port = turn();
  await tick();
  if (port) selection.goTo(port, vid);
}

/** A cable: shown where one is; else the ends of a new one, both selected or one after the other. */
function cable() {
  const free = selection.ports.filter((p) => portOf(p)?.kind !== "inner");
  const here = selection.cableHere();
  if (!selection.end && here) return selection.pickCable(here);
  const ends = selection.end ? [selection.end, free[0]!] : free;
  if (ends.length === 2 && ends[0] !== ends[1]) {
    selection.end = "";
    void office.edit({ lines: [`cable ${ref(ends[0]!)} ${ref(ends[1]!)}`] });
  } else if (free[0]) selection.end = free[0];
}

const portOf = (ref: string) => {
  const dot = ref.indexOf(".");
  return office.shown?.devices.find((d) => d.name === ref.slice(0, dot))?.ports.find((p) => p.name === ref.slice(dot + 1));
};

/** Takes the shapes of the selected columns along. */
function copy() {
  const columns = selection.columns.slice(selection.left, selection.right + 1);
  clip.shapes = columns.map((c) => c.port.shape);
  office.notice = {
    kind: "said",
    text: columns.length === 1 ? `Copied ${clip.shapes[0]}` : `Copied the shapes of ${columns.length} columns`,
  };
  void navigator.clipboard?.writeText(clip.shapes.join("\n")).catch(() => undefined);
}

/** Sets the selected columns to what was copied, again and again where it is shorter. */
function paste() {
  if (!clip.shapes.length) return;
  const to = selection.columns.slice(selection.left, selection.left + Math.max(clip.shapes.length, selection.right - selection.left + 1));
  const by = new Map<string, string[]>();
  to.forEach((c, i) => {
    const shape = clip.shapes[i % clip.shapes.length]!;
    by.set(shape, [...(by.get(shape) ?? []), ...c.ports]);
  });
  void office.edit({ lines: [...by].flatMap(([shape, ports]) => setting(ports, shape)) });
}

/** Removes the selected cable, after showing what that does. */
function remove(): boolean {
  if (!selection.cable) return false;
  const l = office.view?.links.find((l) => `${l.a} ${l.b}` === selection.cable);
  if (l) pending.propose([`-cable ${ref(l.a)} ${ref(l.b)}`]);
  return true;
}

/** Shows what the first mend of the finding at hand would do. */
function mend(): boolean {
  const all = office.shown?.findings ?? [];
  const here = all.filter((f) => f.ports.some((p) => selection.ports.includes(p)));
  const f = all.find((f) => f.id === selection.finding);
  const tries = f ? [f, ...all.filter((x) => x.id === f.cause)] : here.filter((f) => !f.cause);
  void (async () => {
    for (const f of tries.slice(0, 5)) {
      const m = (await mends.get(f))[0];
      if (m) return pending.propose(m);
    }
  })();
  return tries.length > 0;
}

const plain: Record<string, () => boolean | void> = {
  u: () => pending.member("untagged"),
  t: () => pending.member("tagged"),
  ".": () => pending.member("none"),
  p: () => pending.pvid(),
  b: () => pending.bring(true),
  w: () => pending.bring(false),
  c: cable,
  x: remove,
  Delete: remove,
  m: mend,
  n: () => selection.step(1),
  N: () => selection.step(-1),
  f: () => {
    const v = selection.vlan;
    const p = selection.columns[selection.left]?.port;
    const wire = v && (p?.tagged.includes(v.vid) ?? false) ? v.vid : "untagged";
    if (selection.ports[0]) place.view("walk", { from: selection.ports[0], wire });
  },
  r: () => selection.vlan && place.view("reach", { vlan: selection.vlan.vid }),
  o: () => void refold(() => selection.foldDevices((office.shown?.devices ?? []).filter((d) => d.name === selection.device))),
  O: () => void refold(() => selection.foldDevices(office.shown?.devices ?? [])),
  s: () => rows.turn(),
} as Record<string, () => boolean | void>;

/** Does what a key on the board means; false where it means nothing. */
export function boardKey(e: KeyboardEvent, plan: Layout): boolean {
  const { row, column } = selection.cursor;
  const extend = e.shiftKey;
  const jump = e.ctrlKey || e.metaKey;
  if (e.altKey) return false;
  switch (e.key) {
    case "ArrowLeft":
      selection.go(row, jump ? byDevice(plan, -1) : column - 1, extend);
      return true;
    case "ArrowRight":
      selection.go(row, jump ? byDevice(plan, 1) : column + 1, extend);
      return true;
    case "ArrowUp":
      selection.go(jump ? 0 : row - 1, column, extend);
      return true;
    case "ArrowDown":
      selection.go(jump ? rows.list.length : row + 1, column, extend);
      return true;
    case "PageUp":
    case "PageDown":
      selection.go(row + (e.key === "PageUp" ? -10 : 10), column, extend);
      return true;
    case "Home":
      selection.go(row, 0, extend);
      return true;
    case "End":
      selection.go(row, plan.columns.length, extend);
      return true;
    case "Enter":
      void refold(() => selection.toggleFold());
      return true;
    case "Escape":
      selection.end = "";
      selection.go(row, column);
      return true;
  }
  if (jump) {
    if (e.key === "c") copy();
    else if (e.key === "v") paste();
    else return false;
    return true;
  }
  const act = plain[e.key];
  return act ? act() !== false : false;
}
