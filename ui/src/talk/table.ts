import type { Office, TalkShift, TalkTable } from "../api/client";

/** What a cell of the table says. */
export interface TalkCell {
  from: number;
  to: number;
  verdict: "yes" | "no" | "part" | "self";
  services: string[];
  /** Which part is open, in words; "" where it is no part or was not told. */
  which: string;
  wishes: { text: string; must: boolean; holds: boolean }[];
  shift?: TalkShift;
}

const verdicts = { y: "yes", n: "no", p: "part" } as const;
const key = (from: number, to: number) => from * 10000 + to;

/** The cells, row by row, with the wishes that are about them and what a waiting edit would do to them. */
export function cells(t: TalkTable, shifts: TalkShift[] = []): TalkCell[][] {
  const some = new Map(t.some.map((s) => [key(s.from, s.to), s]));
  const would = new Map(shifts.map((s) => [key(s.from, s.to), s]));
  const wishes = new Map<number, TalkCell["wishes"]>();
  for (const w of t.wishes) {
    const bad = new Set(w.bad.map(([from, to]) => key(from!, to!)));
    for (const [from, to] of w.covers) {
      const k = key(from!, to!);
      wishes.set(k, [...(wishes.get(k) ?? []), { text: w.text, must: w.must, holds: !bad.has(k) }]);
    }
  }
  return t.areas.map((from, i) =>
    t.areas.map((to, j) => {
      const k = key(from, to);
      const letter = t.cells[i]![j] as keyof typeof verdicts;
      return {
        from,
        to,
        verdict: from === to ? "self" : verdicts[letter],
        services: letter === "y" ? ["any"] : (some.get(k)?.services ?? []),
        which: some.get(k)?.text ?? "",
        wishes: wishes.get(k) ?? [],
        shift: would.get(k),
      };
    }),
  );
}

/** How many services are open, for a hatched cell: a range is one; everything of some of them is "*". */
export const counted = (c: TalkCell) => (c.services[0] === "any" ? "*" : String(c.services.length));

/** A row or a column as one writes it: the outside, or a VLAN by its name. */
export function side(vid: number, office: Pick<Office, "vlans"> | null): string {
  if (!vid) return "outside";
  const v = office?.vlans.find((x) => x.vid === vid);
  return v?.registered && v.name ? v.name : String(vid);
}

/** Services as they are typed, for a statement: nothing where all are meant. */
export function services(text: string): string {
  const list = text
    .split(/[\s,]+/)
    .filter(Boolean)
    .join(",");
  return list && list !== "any" ? ` ${list}` : "";
}

/** What somebody reads of a cell. */
export function says(c: TalkCell, name: (vid: number) => string): string {
  if (c.verdict === "self") return `${name(c.from)} among themselves`;
  const what =
    c.verdict === "yes"
      ? "everything"
      : c.verdict === "no"
        ? "nothing"
        : c.which
          ? c.which
          : c.services[0] === "any"
            ? "everything, for some of them"
            : c.services.length > 8
              ? `${c.services.slice(0, 8).join(", ")} and more`
              : c.services.join(", ");
  const wishes = c.wishes.map((w) => `; wish ${w.holds ? "holds" : "is broken"}: ${w.text}`).join("");
  return `${name(c.from)} to ${name(c.to)}: ${what}${wishes}`;
}

/** The number of a rule after it was moved by one, or null at the end of the list. */
export function moved(at: number, by: number, count: number): string | null {
  const to = at + by;
  if (to < 1 || to > count) return null;
  if (by < 0) return `rule ${at} before ${to}`;
  return to === count ? `rule ${at} last` : `rule ${at} before ${to + 1}`;
}

/** The statement that drops a rule before another one, or behind the last; null where it stays. */
export function dropped(from: number, before: number, count: number): string | null {
  if (before === from || before === from + 1) return null;
  return before > count ? `rule ${from} last` : `rule ${from} before ${before}`;
}
