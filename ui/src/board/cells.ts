import type { Port, Vlan } from "../api/client";
import type { Column } from "./fold";

/** How a VLAN stands on a port, as the board's letter: U, T, or nothing. */
export type Letter = "U" | "T" | "";

export const letter = (p: Pick<Port, "untagged" | "tagged">, vid: number): Letter =>
  p.untagged.includes(vid) ? "U" : p.tagged.includes(vid) ? "T" : "";

/** How a VLAN stands in a shape that names all its VLANs, as found ones do: 190 [110 120-122]. */
export function inShape(shape: string, vid: number): Letter {
  const has = (list: string) =>
    list.split(/[\s+]+/).some((part) => {
      const m = /^(\d+)(?:-(\d+))?(?:@\d+)?$/.exec(part);
      return !!m && Number(m[1]) <= vid && vid <= Number(m[2] ?? m[1]);
    });
  const tagged = /\[([^\]]*)\]/.exec(shape)?.[1] ?? "";
  if (has(tagged)) return "T";
  return has(/^[\d+]+/.exec(shape)?.[0] ?? "") ? "U" : "";
}

/** A name in an attribute: markup in it stays text. */
export const escape = (s: string) => s.replace(/[&<>"']/g, (c) => `&#${c.charCodeAt(0)};`);

/** What a run of columns has to know of its surroundings, beside the columns and the VLAN. */
export interface Around {
  row: number;
  /** The index of the first column. */
  from: number;
  selected: (index: number) => boolean;
  /** The letter that is on its way to the server, undefined for none. */
  flight: (column: Column) => Letter | undefined;
  /** The letter that a waiting edit would make it, undefined for none. */
  then: (column: Column) => Letter | undefined;
  /** The letter that was found there, where it is another; undefined for none. */
  found: (column: Column) => Letter | undefined;
  reached: (column: Column) => boolean;
  cut: (column: Column) => boolean;
}

const words = { U: "untagged", T: "tagged", "": "not a member" };

/**
 * The cells of one VLAN on neighbouring columns, as markup: a board has
 * thousands, and they come and go as one scrolls. They stand where they are
 * from the first of them.
 */
export function cells(columns: Column[], v: Pick<Vlan, "vid" | "name">, a: Around): string {
  let out = "";
  let end = columns[0]?.x ?? 0;
  columns.forEach((c, k) => {
    const p = c.port;
    const index = a.from + k;
    const flight = a.flight(c);
    const as = flight ?? letter(p, v.vid);
    const then = a.then(c);
    const turns = then !== undefined && then !== as;
    // The PVID shows only where it is not the untagged VLAN: then it matters.
    const pvid = flight === undefined && p.pvid === v.vid && as !== "U";
    const lost = flight === undefined && as === "U" && p.pvid === 0;
    const found = a.found(c);
    const says = `${c.device} ${c.label}, ${v.vid} ${v.name}: ${words[as]}${pvid ? ", the PVID" : ""}${lost ? ", no PVID" : ""}${found === undefined ? "" : `, found ${words[found]}`}`;
    let inside = "";
    if (turns) inside = `<b class="${then === "U" ? "u" : then === "T" ? "t" : "off"}">${then || "–"}</b>`;
    else if (as) inside = `<b class="${as === "U" ? "u" : "t"}${a.reached(c) ? " reached" : ""}${a.cut(c) ? " cut" : ""}">${as}</b>`;
    else if (pvid) inside = '<b class="p">p</b>';
    if (pvid && as === "T") inside += "<sup>p</sup>";
    if (found !== undefined) inside += `<sub>${found || "–"}</sub>`;
    if (lost) inside += "<sup>∅</sup>";
    out +=
      `<span role="gridcell" id="c-${a.row}-${index}" class="cell${turns ? " turning" : ""}${flight === undefined ? "" : " flight"}"` +
      ` data-row="${a.row}" data-column="${index}" data-port="${escape(c.ports[0]!)}" data-vid="${v.vid}" data-as="${as || "none"}"` +
      `${turns ? ` data-then="${then || "none"}"` : ""} aria-colindex="${index + 2}" aria-label="${escape(says)}" aria-selected="${a.selected(index)}"` +
      ` style="width:${c.width}px${c.x > end ? `;margin-left:${c.x - end}px` : ""}">${inside}</span>`;
    end = c.x + c.width;
  });
  return out;
}

/** Columns drawn together. */
export interface Chunk {
  from: number;
  columns: Column[];
}

/** Columns a chunk has. */
export const wide = 16;

/** Cuts the columns from..to into chunks at fixed places; a chunk that says the same as before is the same object. */
export function chunks(columns: Column[], from: number, to: number, before: Chunk[]): Chunk[] {
  const out: Chunk[] = [];
  const known = new Map(before.map((c) => [c.from, c]));
  for (let at = Math.floor(from / wide) * wide; at < Math.min(to, columns.length); at += wide) {
    const now = columns.slice(at, at + wide);
    const old = known.get(at);
    out.push(old && old.columns.length === now.length && old.columns.every((c, i) => c === now[i]) ? old : { from: at, columns: now });
  }
  return out;
}
