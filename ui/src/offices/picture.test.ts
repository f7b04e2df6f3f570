import { beforeEach, describe, expect, it, vi } from "vitest";
import type { IntakeAnswer } from "../api/client";
import { alike, applied, heads, letters, recipe, remember } from "./picture";

const roles = [
  { role: "socket", says: "wall socket", word: "Socket" },
  { role: "note", says: "note", word: "Note" },
  { role: "port", says: "port", word: "Port" },
];
const block = (row: number) => ({
  sheet: "S",
  row,
  column: 1,
  rows: 3,
  columns: 3,
  is: "ports against VLANs",
  heads: [
    { column: 1, text: "Port", is: "port" },
    { column: 2, text: "10", is: "member" },
    { column: 3, text: "Dosen-Nr", is: "note" },
  ],
});
const head = ["Port", "10", "Dosen-Nr"];
const answer = {
  sheets: [
    { name: "S", rows: 8, columns: 3, cells: [head, ["1", "U", "A-1"], [], head, ["1", "U", "A-2"]], is: [] },
    { name: "T", rows: 2, columns: 2, cells: [["Plan"], ["Kabel", "Wohin"]], is: [] },
  ],
  regions: [block(1), block(4)],
  roles,
} as unknown as IntakeAnswer;

describe("the picture of a file", () => {
  const store = new Map<string, string>();
  beforeEach(() => {
    store.clear();
    vi.stubGlobal("localStorage", { getItem: (k: string) => store.get(k) ?? null, setItem: (k: string, v: string) => store.set(k, v) });
  });
  it("calls columns as spreadsheets do", () => {
    expect([1, 26, 27, 52, 53, 702, 703].map(letters)).toEqual(["A", "Z", "AA", "AZ", "BA", "ZZ", "AAA"]);
  });
  it("asks above each head, and above the first row of a sheet in which nothing was found", () => {
    expect([...heads(answer.sheets[0]!, answer.regions).keys()]).toEqual([1, 4]);
    expect([...heads(answer.sheets[1]!, [])]).toEqual([[2, new Map([[1, ""], [2, ""]])]]); // prettier-ignore
  });
  it("takes all columns that are called so for the same", () => {
    const one = { sheet: "S", row: 1, column: 3, text: "Socket", was: "Dosen-Nr" };
    expect(alike(answer, one, [one])).toEqual([{ sheet: "S", row: 4, column: 3, text: "Socket", was: "Dosen-Nr" }]);
  });
  it("remembers what heads were taken for, for the next file, and nothing else", () => {
    remember(
      [
        { sheet: "S", row: 1, column: 3, text: "Socket", was: "Dosen-Nr" },
        { sheet: "S", row: 3, column: 1, text: "99", was: "99x" },
      ],
      roles,
    );
    expect(recipe()).toEqual({ "dosen-nr": "Socket" });
    expect(applied(answer, recipe()).map((c) => [c.row, c.column, c.text])).toEqual([[1, 3, "Socket"], [4, 3, "Socket"]]); // prettier-ignore
    store.set("klammer-recipe", '[1, "x"');
    expect(recipe()).toEqual({});
  });
});
