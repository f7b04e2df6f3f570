import type { IntakeAbove, IntakeAnswer, IntakeLine } from "../api/client";

type Sheet = IntakeAnswer["sheets"][number];
type Region = IntakeAnswer["regions"][number];

/** A column as spreadsheets call it: A for 1, AA for 27. */
export function letters(column: number): string {
  let out = "";
  for (let k = column; k > 0; k = Math.floor((k - 1) / 26)) out = String.fromCharCode(65 + ((k - 1) % 26)) + out;
  return out;
}

/** What a column is taken for from a row on, where no head above says so. */
export type Above = IntakeAbove;

/** A row of a sheet. */
export type Line = IntakeLine;

/**
 * By row from 1, what its columns are taken for: of each region's head; of a sheet in which nothing was found, of its first row with
 * several cells that is not left out, what was said of each so far, or "".
 */
export function heads(sheet: Sheet, regions: Region[], said: Above[] = [], out: Line[] = []): Map<number, Map<number, string>> {
  const by = new Map<number, Map<number, string>>();
  for (const r of regions) {
    const at = by.get(r.row) ?? new Map<number, string>();
    for (const h of r.heads) at.set(h.column, h.is);
    by.set(r.row, at);
  }
  if (!regions.length) {
    const gone = (row: number) => out.some((l) => l.sheet === sheet.name && l.row === row);
    const row = sheet.cells.findIndex((cells, i) => cells.filter(Boolean).length > 1 && !gone(i + 1));
    const is = (column: number) => said.find((a) => a.sheet === sheet.name && a.row === row + 1 && a.column === column)?.role ?? "";
    if (row >= 0) by.set(row + 1, new Map(sheet.cells[row]!.flatMap((text, k) => (text ? [[k + 1, is(k + 1)] as const] : []))));
  }
  return by;
}

/**
 * Whether what a column is has to be said beside the file, as no head of it can be corrected: below a block without heads, or above
 * a first row that is one of the list itself, as it has numbers.
 */
export function bare(sheet: Sheet, regions: Region[], row: number): boolean {
  const here = regions.filter((r) => r.sheet === sheet.name);
  if (here.length) return here.some((r) => r.row === row && r.bare);
  return (sheet.cells[row - 1] ?? []).some((text) => /^\d+$/.test(text.trim()));
}

/** What is said of all columns from a row on, when one of them is taken for something else. */
export function told(regions: Region[], said: Above[], at: Above): Above[] {
  const found = regions.filter((r) => r.sheet === at.sheet && r.row === at.row).flatMap((r) => r.heads);
  const before = new Map(found.map((h) => [h.column, h.is]));
  for (const a of said) if (a.sheet === at.sheet && a.row === at.row) before.set(a.column, a.role);
  const others = said.filter((a) => a.sheet !== at.sheet || a.row !== at.row);
  const here = [...before.set(at.column, at.role)].filter(([, role]) => role && role !== "member");
  return [...others, ...here.map(([column, role]) => ({ sheet: at.sheet, row: at.row, column, role }))];
}

/** Rows of a sheet that begin as one does, without it and those that are left out already. */
export function likewise(answer: IntakeAnswer, of: Line, out: Line[]): Line[] {
  const sheet = answer.sheets.find((s) => s.name === of.sheet);
  const first = (row: number) =>
    sheet?.cells[row - 1]
      ?.find((text) => text.trim())
      ?.trim()
      .toLowerCase() ?? "";
  if (!sheet || !first(of.row)) return [];
  return sheet.cells
    .map((_, i) => ({ sheet: of.sheet, row: i + 1 }))
    .filter((l) => first(l.row) === first(of.row) && l.row !== of.row && !out.some((o) => o.sheet === l.sheet && o.row === l.row));
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

/** What was taken for something in files before: the heads of this one that it takes for something else. */
export function applied(answer: IntakeAnswer): Corrected[] {
  const by = Object.fromEntries(answer.known.map((k) => [k.head, k.word]));
  const word = (role: string) => answer.roles.find((r) => r.role === role)?.word;
  const out: Corrected[] = [];
  for (const sheet of answer.sheets) {
    const here = answer.regions.filter((r) => r.sheet === sheet.name);
    for (const [row, columns] of heads(sheet, here))
      if (!bare(sheet, here, row))
        for (const [column, role] of columns) {
          const was = sheet.cells[row - 1]?.[column - 1] ?? "";
          const text = by[was.trim().toLowerCase()];
          if (role !== "member" && text && text !== word(role)) out.push({ sheet: sheet.name, row, column, text, was });
        }
  }
  return out;
}
