import { describe, expect, it } from "vitest";
import type { Device, Port } from "../api/client";
import { cell, copied, grouped, moves, pasted, read, rowsOf, statements, tsv, untsv } from "./rows";

const port = (name: string, more: Partial<Port> = {}): Port =>
  ({ name, kind: "physical", shape: "110 [140]", source: "port", pvid: 110, untagged: [110], tagged: [140], ...more }) as Port;
const device = (name: string, ...ports: Port[]) => ({ name, ports }) as unknown as Device;
const rows = rowsOf([
  device(
    "rack",
    port("1", {
      plugs: [
        { name: "pc", wants: 110, tagged: false, operator: false, at: "10.0.0.7" },
        { name: "phone", wants: 140, tagged: true, operator: false },
      ],
      facts: { socket: "A-1" },
    }),
    port("2"),
    port("3", { shape: "[140]", pvid: 0, untagged: [], tagged: [140] }),
    port("4", { bundle: "up" }),
    port("24", { cabled: ["gate.lan1"] }),
  ),
  device("annex", port("wall 7"), port("8")),
]);
const [one, two, three, four, last] = rows as [(typeof rows)[0], (typeof rows)[0], (typeof rows)[0], (typeof rows)[0], (typeof rows)[0]];

describe("the list of ports", () => {
  it("says what hangs somewhere, and which VLAN it wants where another comes there untagged", () => {
    expect(cell(one, "hangs")).toBe("pc; phone [140]");
    expect(read("pc; phone [140]; camera (170)")).toEqual([
      { name: "pc", vlan: "", tagged: false },
      { name: "phone", vlan: "140", tagged: true },
      { name: "camera", vlan: "170", tagged: false },
    ]);
    expect(statements(one, "hangs", "pc; phone [140]")).toEqual([]);
  });
  it("writes statements for what is typed, and none too many", () => {
    expect(statements(two, "hangs", "printer; phone [140]")).toEqual([
      'plug rack.2 "printer" wants 110',
      'plug rack.2 "phone" wants 140 tagged',
    ]);
    expect(statements(one, "hangs", "pc")).toEqual(['-plug rack.1 "phone"']);
    // another name for the same: its address stays
    expect(statements(one, "hangs", "till; phone [140]")).toEqual(['-plug rack.1 "pc"', 'plug rack.1 "till" wants 110 at 10.0.0.7']);
    expect(statements(one, "socket", "A-2")).toEqual(['rack port 1 socket "A-2"']);
    expect(statements(one, "socket", "")).toEqual(["-rack port 1 socket"]);
    expect(statements(rows[5]!, "note", 'by the "door"')).toEqual(['annex port "wall 7" note "by the \\"door\\""']);
    expect(statements(two, "shape", "use desk")).toEqual(["rack 2: use desk"]);
    expect(statements(two, "shape", "")).toEqual(["rack 2: -"]);
    expect(statements(last, "cable", "annex 8")).toEqual(["-cable rack.24 gate.lan1", "cable rack.24 annex.8"]);
    expect(statements(last, "cable", "")).toEqual(["-cable rack.24 gate.lan1"]);
  });
  it("says what cannot be typed, and what would be right", () => {
    expect(() => statements(three, "hangs", "pc")).toThrow("rack 3 gives no VLAN without a tag: write which pc wants");
    expect(statements(three, "hangs", "pc (110)")).toEqual(['plug rack.3 "pc" wants 110']);
    expect(() => statements(four, "shape", "110")).toThrow("in the bundle up");
    expect(() => statements(two, "hangs", "pc; pc")).toThrow("twice");
  });
  it("moves what hangs at ports with all that is known of it", () => {
    expect(moves([one], [rows[6]!])).toEqual([
      '-plug rack.1 "pc"',
      'plug annex.8 "pc" wants 110 at 10.0.0.7',
      '-plug rack.1 "phone"',
      'plug annex.8 "phone" wants 140 tagged',
    ]);
    expect(moves([one], [one])).toEqual([]);
  });
  it("goes into a spreadsheet and comes back by its keys", () => {
    const table = copied([one, two], ["socket", "hangs"]);
    expect(table).toEqual([
      ["Device", "Port", "Socket", "What hangs there"],
      ["rack", "1", "A-1", "pc; phone [140]"],
      ["rack", "2", "", ""],
    ]);
    const back = untsv(tsv(table));
    expect(back).toEqual(table);
    expect(pasted(rows, { row: 4, column: 2 }, back)).toEqual({ lines: [], left: [] });
    back[2]![3] = "printer";
    back.push(["cellar", "1", "", ""]);
    expect(pasted(rows, { row: 4, column: 2 }, back)).toEqual({
      lines: ['plug rack.2 "printer" wants 110'],
      left: ["There is no port cellar 1."],
    });
  });
  it("puts rows together by VLAN, device, socket or place, those that belong to nothing last", () => {
    const heads = (by: "device" | "vlan" | "socket" | "place") =>
      grouped(rows, by, (v) => (v === 110 ? "office" : "")).lines.flatMap((l) => ("head" in l ? [`${l.head}: ${l.count}`] : []));
    expect(heads("vlan")).toEqual(["110 office: 6", "tagged alone: 1"]);
    expect(heads("device")).toEqual(["rack: 5", "annex: 2"]);
    expect(heads("socket")).toEqual(["A: 1", "no socket: 6"]);
    expect(heads("place")).toEqual(["no place: 7"]);
    const { rows: order, lines } = grouped(rows, "vlan", () => "");
    expect(order.map((r) => r.key).toSorted()).toEqual(rows.map((r) => r.key).toSorted());
    expect(lines.flatMap((l) => ("row" in l ? [l.row] : []))).toEqual(order.map((_, i) => i));
  });
  it("takes a block without keys from the cell on", () => {
    expect(
      pasted(rows, { row: 1, column: 2 }, [
        ["B-1", "scanner"],
        ["B-2", "pc"],
      ]),
    ).toEqual({
      lines: ['rack port 2 socket "B-1"', 'plug rack.2 "scanner" wants 110', 'rack port 3 socket "B-2"'],
      left: ["rack 3 gives no VLAN without a tag: write which pc wants, as in pc [140] or pc (110)."],
    });
  });
  it("reads quotes, tabs and line breaks of a clipboard", () => {
    expect(untsv('a\t"b ""c""\nd"\r\n\te\n')).toEqual([
      ["a", 'b "c"\nd'],
      ["", "e"],
    ]);
    for (const t of [
      [
        ["a\tb", 'x"y'],
        ["", "z\nw"],
      ],
    ])
      expect(untsv(tsv(t))).toEqual(t);
  });
});
