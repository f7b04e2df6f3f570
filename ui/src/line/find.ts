import type { Office } from "../api/client";
import { statements, verbs } from "../api/words";

/** Something of the office that a text was found in. */
export interface Found {
  /** What it was found in, as it stands there: ultrasound, A-12, 02:00:5e:10:00:01. */
  what: string;
  /** Where that is: a port (rack.19), a device or a VLAN. */
  at: string;
  port: boolean;
}

type Searched = Pick<Office, "devices" | "vlans">;

/** Whether somebody types a statement, a verb or a view, and not something to look for. */
export function states(text: string, office: Searched): boolean {
  const first = /^\s*-?([^\s;:]*)/.exec(text)?.[1] ?? "";
  return (
    ([...statements, ...verbs, "go", "walk", "reach"] as string[]).includes(first) ||
    (office.devices.some((d) => d.name === first) && /^\s*-?\S+\s/.test(text))
  );
}

/** A card's address as it is compared: its digits alone, however they are separated. */
const digits = (text: string) =>
  /^[0-9a-f]{2}([:.-]?[0-9a-f]{2}){2,5}[:.-]?$/i.test(text) ? text.replace(/[:.-]/g, "").toLowerCase() : "";

/**
 * Where a text stands in the office: in names of what hangs at ports, in their addresses and cards, in wall sockets and notes, in
 * devices' places, models and serial numbers, in the register. What begins with it comes first.
 */
export function finds(text: string, office: Searched, most = 6): Found[] {
  const word = text.trim().toLowerCase();
  if (word.length < 2) return [];
  const card = digits(word);
  const out: [rank: number, found: Found][] = [];
  const look = (what: string | undefined, at: string, port: boolean) => {
    if (!what) return;
    const k = what.toLowerCase().indexOf(word);
    if (k < 0 && !(card && digits(what).startsWith(card))) return;
    const begins = k <= 0 || /[\s(/"'-]/.test(what[k - 1]!);
    out.push([begins ? (what.length === word.length ? 0 : 1) : 2, { what, at, port }]);
  };
  for (const d of office.devices) {
    look(d.name, d.name, false);
    for (const fact of Object.values(d.facts ?? {})) look(fact, d.name, false);
    for (const p of d.ports) {
      const at = `${d.name}.${p.name}`;
      for (const fact of Object.values(p.facts ?? {})) look(fact, at, true);
      for (const g of p.plugs ?? []) for (const said of [g.name, g.at, g.mac, ...Object.values(g.facts ?? {})]) look(said, at, true);
    }
  }
  for (const v of office.vlans) for (const said of [v.name, v.note]) look(said, String(v.vid), false);
  return out
    .sort((a, b) => a[0] - b[0])
    .map(([, f]) => f)
    .slice(0, most);
}
