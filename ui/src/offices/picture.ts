import type { IntakeAnswer } from "../api/client";

type Sheet = IntakeAnswer["sheets"][number];
type Region = IntakeAnswer["regions"][number];

/** A column as spreadsheets call it: A for 1, AA for 27. */
export function letters(column: number): string {
  let out = "";
  for (let k = column; k > 0; k = Math.floor((k - 1) / 26)) out = String.fromCharCode(65 + ((k - 1) % 26)) + out;
  return out;
}

/**
 * By row from 1, what its columns are taken for: of each region's head; of a sheet in which nothing was found, of its first row with
 * several cells, "" for each.
 */
export function heads(sheet: Sheet, regions: Region[]): Map<number, Map<number, string>> {
  const out = new Map<number, Map<number, string>>();
  for (const r of regions) {
    const at = out.get(r.row) ?? new Map<number, string>();
    for (const h of r.heads) at.set(h.column, h.is);
    out.set(r.row, at);
  }
  if (!regions.length) {
    const row = sheet.cells.findIndex((cells) => cells.filter(Boolean).length > 1);
    if (row >= 0) out.set(row + 1, new Map(sheet.cells[row]!.flatMap((text, k) => (text ? [[k + 1, ""] as const] : []))));
  }
  return out;
}

/** A cell of a file that was corrected: as it was, and as it is. */
export interface Corrected {
  sheet: string;
  row: number;
  column: number;
  text: string;
  was: string;
}

const same = (a: string, b: string) => a.trim().toLowerCase() === b.trim().toLowerCase();

/** All heads of the sheets that say the same as one of them, without it. */
export function alike(answer: IntakeAnswer, of: Corrected, corrected: Corrected[]): Corrected[] {
  const done = (sheet: string, row: number, column: number) =>
    corrected.some((c) => c.sheet === sheet && c.row === row && c.column === column);
  return answer.regions.flatMap((r) =>
    r.heads
      .filter((h) => h.is !== "member" && h.text && same(h.text, of.was) && !done(r.sheet, r.row, h.column))
      .map((h) => ({ sheet: r.sheet, row: r.row, column: h.column, text: of.text, was: h.text })),
  );
}

/** What columns were taken for in files before: the word for each head, in small letters. */
export type Recipe = Record<string, string>;

const place = "klammer-recipe";
const most = 200; // heads that are remembered

export function recipe(): Recipe {
  try {
    const kept: unknown = JSON.parse(localStorage.getItem(place) ?? "{}");
    return kept && typeof kept === "object"
      ? Object.fromEntries(Object.entries(kept).filter((e): e is [string, string] => typeof e[1] === "string"))
      : {};
  } catch {
    return {}; // no storage, or what is in it is not ours
  }
}

/** Remembers what heads were taken for; what was remembered of others stays. */
export function remember(corrected: Corrected[], roles: IntakeAnswer["roles"]) {
  const words = new Set(roles.map((r) => r.word));
  const fresh = corrected.filter((c) => words.has(c.text) && c.was.trim()).map((c) => [c.was.trim().toLowerCase(), c.text]);
  if (!fresh.length) return;
  try {
    const all = Object.entries({ ...recipe(), ...Object.fromEntries(fresh) });
    localStorage.setItem(place, JSON.stringify(Object.fromEntries(all.slice(-most))));
  } catch {
    /* no storage: for this file only */
  }
}

/** What a recipe says of a file: the heads that it takes for something else. */
export function applied(answer: IntakeAnswer, by: Recipe): Corrected[] {
  const word = (role: string) => answer.roles.find((r) => r.role === role)?.word;
  const out: Corrected[] = [];
  for (const sheet of answer.sheets) {
    const here = answer.regions.filter((r) => r.sheet === sheet.name);
    for (const [row, columns] of heads(sheet, here))
      for (const [column, role] of columns) {
        const was = sheet.cells[row - 1]?.[column - 1] ?? "";
        const text = by[was.trim().toLowerCase()];
        if (role !== "member" && text && text !== word(role)) out.push({ sheet: sheet.name, row, column, text, was });
      }
  }
  return out;
}
