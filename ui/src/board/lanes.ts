import type { Link } from "../api/client";
import type { Column } from "./fold";

/** A cable as it is drawn: a bracket under the columns of its two ends. */
export interface Bracket {
  link: Link;
  x1: number;
  x2: number;
  lane: number;
  label: string;
  labelX: number;
  labelWidth: number;
}

export function labelOf(l: Link): string {
  if (l.labels.length) return l.labels.length > 1 ? `${l.labels[0]} +${l.labels.length - 1}` : l.labels[0]!;
  if (l.cables > 1) return `${l.mode === "lacp" ? "LACP " : ""}×${l.cables}`;
  return "";
}

const letter = 6.5;

/** The least height of a lane. */
export const lowest = 12.5;

/**
 * Gives each cable a lane, so that no two on one lane touch: short ones first,
 * right under the board.
 */
export function brackets(links: Link[], columns: Column[], width: number): Bracket[] {
  const at = new Map<string, Column>();
  for (const c of columns) for (const p of c.ports) at.set(p, c);
  const drawn: Bracket[] = [];
  for (const link of links) {
    const a = at.get(link.a);
    const b = at.get(link.b);
    const one = a ?? b;
    if (!one) continue;
    // An end that is not among the columns stands at another site: the cable says where it leads.
    const [x1, x2] = [one.x + one.width / 2, (b ?? one).x + (b ?? one).width / 2].sort((p, q) => p - q) as [number, number];
    const away = !a ? link.a : !b ? link.b : "";
    const label = [away && `→ ${away.replace(".", " ")}`, labelOf(link)].filter(Boolean).join(", ");
    const labelWidth = label ? label.length * letter + 12 : 0;
    const half = labelWidth / 2;
    const labelX = away ? x1 + half + 4 : Math.min(Math.max((x1 + x2) / 2, half + 2), width - half - 2);
    drawn.push({ link, x1, x2, lane: 0, label, labelX, labelWidth });
  }
  drawn.sort((p, q) => p.x2 - p.x1 - (q.x2 - q.x1) || p.x1 - q.x1);
  const lanes: [number, number][][] = [];
  for (const d of drawn) {
    const from = Math.min(d.x1, d.labelX - d.labelWidth / 2) - 5;
    const to = Math.max(d.x2, d.labelX + d.labelWidth / 2) + 5;
    let lane = lanes.findIndex((taken) => taken.every(([f, t]) => t < from || f > to));
    if (lane < 0) lane = lanes.push([]) - 1;
    lanes[lane]!.push([from, to]);
    d.lane = lane;
  }
  return drawn;
}
