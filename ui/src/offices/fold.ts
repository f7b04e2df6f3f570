import type { Comparison } from "../api/client";
import { runs } from "../line/quote";

type Change = Comparison["ports"][number];

/** Ports by device, with runs drawn together: rack 1–4, 7; den 2. */
export function told(ports: string[], most = 6): string {
  const by = new Map<string, string[]>();
  for (const p of ports) {
    const dot = p.indexOf(".");
    by.set(p.slice(0, dot), [...(by.get(p.slice(0, dot)) ?? []), p.slice(dot + 1)]);
  }
  const all = [...by].map(([device, names]) => `${device} ${runs(names).join(", ")}`);
  return all.slice(0, most).join("; ") + (all.length > most ? `; and ports of ${all.length - most} more` : "");
}

/** Changes of ports of one device that come to the same, told once; each says that they come to it with each other. */
export interface Folded extends Omit<Change, "port"> {
  ports: string[];
  each: boolean;
}

/** Draws changes together: those with the same lists, and those that are the same but for each other. */
export function folded(changes: Change[]): Folded[] {
  const device = (p: string) => p.slice(0, p.indexOf("."));
  const by = (list: Change[], key: (c: Change, of: string[]) => string) => {
    const out = new Map<string, Change[]>();
    for (const c of list) {
      const id = [device(c.port), key(c, c.gains), key(c, c.loses), key(c, c.otherwise)].join("|");
      out.set(id, [...(out.get(id) ?? []), c]);
    }
    return [...out.values()];
  };
  const groups = by(changes, (_, of) => [...of].sort().join(" "));
  const single = groups.filter((g) => g.length === 1).map((g) => g[0]!);
  const mutual = by(single, (c, of) => (of.length ? [...new Set([...of, c.port])].sort().join(" ") : ""));
  const place = new Map(changes.map((c, i) => [c.port, i]));
  return [...groups.filter((g) => g.length > 1), ...mutual]
    .sort((a, b) => place.get(a[0]!.port)! - place.get(b[0]!.port)!)
    .map((list) => {
      const ports = list.map((c) => c.port);
      const of = (get: (c: Change) => string[]) => [...new Set(list.flatMap(get))].filter((p) => !ports.includes(p));
      return {
        ports,
        gains: of((c) => c.gains),
        loses: of((c) => c.loses),
        otherwise: of((c) => c.otherwise),
        each: list.some((c) => c.gains.some((p) => ports.includes(p))),
      };
    });
}
