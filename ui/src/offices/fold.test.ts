import { describe, expect, it } from "vitest";
import { folded, told } from "./fold";

const change = (port: string, gains: string[], loses: string[] = []) => ({ port, gains, loses, otherwise: [] as string[] });

describe("what differs", () => {
  it("is told in ranges", () => {
    expect(told(["rack.1", "rack.2", "rack.3", "den.lan 1", "rack.9"])).toBe("rack 1–3, 9; den lan 1");
    expect(told(["a.1", "b.1", "c.1"], 2)).toBe("a 1; b 1; and ports of 1 more");
  });
  it("is told once of ports that gain and lose the same", () => {
    const all = ["rack.1", "rack.2", "rack.3"];
    const got = folded([
      ...all.map((p) => change(p, ["den.1", ...all.filter((x) => x !== p)])),
      change("den.1", all),
      change("rack.9", [], ["den.1"]),
    ]);
    expect(got.map((g) => g.ports)).toEqual([all, ["den.1"], ["rack.9"]]);
    expect(got[0]).toEqual({ ports: all, gains: ["den.1"], loses: [], otherwise: [], each: true });
    expect(folded([change("rack.1", [], ["den.1"]), change("rack.2", [], ["den.1"])])).toEqual([
      { ports: ["rack.1", "rack.2"], gains: [], loses: ["den.1"], otherwise: [], each: false },
    ]);
  });
});
