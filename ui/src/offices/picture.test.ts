import { describe, expect, it } from "vitest";
import type { IntakeAnswer } from "../api/client";
import { alike, applied, bare, heads, letters, likewise, told } from "./picture";

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
  known: [{ head: "dosen-nr", word: "Socket" }],
} as unknown as IntakeAnswer;

describe("the picture of a file", () => {
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
  it("takes heads for what they were taken for in files before", () => {
    expect(applied(answer).map((c) => [c.row, c.column, c.text])).toEqual([[1, 3, "Socket"], [4, 3, "Socket"]]); // prettier-ignore
    expect(applied({ ...answer, known: [] })).toEqual([]);
  });
  it("says beside the file what columns are below which no head stands", () => {
    const sheet = { name: "B", rows: 3, columns: 3, cells: [["sum", "7"], ["till", "7", "110"], ["kiosk", "8", "160"]], is: [] }; // prettier-ignore
    const at = (column: number, role: string) => ({ sheet: "B", row: 2, column, role });
    const out = [{ sheet: "B", row: 1 }];
    expect([...heads(sheet, [], [], out).keys()]).toEqual([2]);
    expect([bare(sheet, [], 2), bare(answer.sheets[1]!, [], 2), bare(answer.sheets[0]!, answer.regions, 1)]).toEqual([true, false, false]);
    const guess = { ...block(2), sheet: "B", bare: true, heads: [{ column: 1, text: "", is: "hangs" }, { column: 2, text: "", is: "port" }] }; // prettier-ignore
    expect(bare(sheet, [guess], 2)).toBe(true);
    expect(told([guess], [], at(3, "untagged"))).toEqual([at(1, "hangs"), at(2, "port"), at(3, "untagged")]);
    expect(told([], [at(1, "note")], at(1, "hangs"))).toEqual([at(1, "hangs")]);
  });
  it("leaves out all rows that begin so", () => {
    const cells = [
      ["Sum", "1"],
      ["7", "U"],
      ["", "sum", "2"],
      ["SUM ", "3"],
    ];
    const of = { ...answer, sheets: [{ name: "S", rows: 4, columns: 3, cells, is: [] }] };
    const row = (row: number) => ({ sheet: "S", row });
    expect(likewise(of, row(1), [row(1)])).toEqual([row(3), row(4)]);
    expect(likewise(of, row(2), [row(2)])).toEqual([]);
  });
});
