import { describe, expect, it } from "vitest";
import type { TalkTable } from "../api/client";
import { cells, counted, dropped, moved, says, services } from "./table";

const table: TalkTable = {
  areas: [110, 160, 0],
  routers: [],
  cells: ["nny", "pnp", "nnn"],
  some: [
    { from: 160, to: 110, services: ["ping", "tcp/443"], text: "ping, tcp/443 to 10.61.110.7" },
    { from: 160, to: 0, services: ["any"], text: "" },
  ],
  wishes: [
    {
      text: "never vlan 160 to any",
      must: false,
      holds: false,
      covers: [
        [160, 110],
        [160, 0],
      ],
      bad: [[160, 110]],
    },
    { text: "must vlan 160 to outside", must: true, holds: true, covers: [[160, 0]], bad: [] },
  ],
};

describe("the table of talk", () => {
  const rows = cells(table, [{ from: 110, to: 0, gains: [], loses: ["ping"], text: "" }]);

  it("says what is open, and who asks himself", () => {
    expect(rows.map((r) => r.map((c) => c.verdict))).toEqual([
      ["self", "no", "yes"],
      ["part", "self", "part"],
      ["no", "no", "self"],
    ]);
    expect([counted(rows[1]![0]!), counted(rows[1]![2]!)]).toEqual(["2", "*"]);
  });

  it("has each wish in its cells, broken where it is", () => {
    expect(rows[1]![0]!.wishes).toEqual([{ text: "never vlan 160 to any", must: false, holds: false }]);
    expect(rows[1]![2]!.wishes.map((w) => w.holds)).toEqual([true, true]);
    expect(rows[0]![2]!.wishes).toEqual([]);
  });

  it("draws what a waiting edit would do", () => {
    expect(rows[0]![2]!.shift?.loses).toEqual(["ping"]);
    expect(rows[1]![2]!.shift).toBeUndefined();
  });

  it("reads out a cell", () => {
    expect(says(rows[1]![0]!, (v) => (v ? `v${v}` : "outside"))).toBe(
      "v160 to v110: ping, tcp/443 to 10.61.110.7; wish is broken: never vlan 160 to any",
    );
  });
});

describe("statements", () => {
  it("services: nothing where all are meant", () => {
    expect(["", "any", " tcp/80, ping", "web"].map(services)).toEqual(["", "", " tcp/80,ping", " web"]);
  });
  it("moves a rule by one, and not off the list", () => {
    expect([moved(2, -1, 3), moved(1, 1, 3), moved(2, 1, 3), moved(1, -1, 3), moved(3, 1, 3)]).toEqual([
      "rule 2 before 1",
      "rule 1 before 3",
      "rule 2 last",
      null,
      null,
    ]);
  });
  it("drops a rule where it is let go", () => {
    expect([dropped(1, 3, 3), dropped(3, 1, 3), dropped(2, 2, 3), dropped(2, 3, 3), dropped(1, 4, 3)]).toEqual([
      "rule 1 before 3",
      "rule 3 before 1",
      null,
      null,
      "rule 1 last",
    ]);
  });
});
