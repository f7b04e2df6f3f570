import { describe, expect, it } from "vitest";
import type { Office } from "../api/client";
import { finds, states } from "./find";

const office = {
  vlans: [{ vid: 130, name: "imaging", note: "X-ray and ultrasound" }],
  devices: [
    {
      name: "rack",
      facts: { place: "harbour/server room", serial: "SN-4471" },
      ports: [
        {
          name: "19",
          facts: { socket: "A-12" },
          plugs: [{ name: "ultrasound", wants: 130, mac: "02:00:5e:10:00:01", at: "10.61.130.31" }],
        },
        { name: "20", facts: { socket: "A-120" } },
      ],
    },
    { name: "annex", ports: [{ name: "wall 7", plugs: [{ name: "old ultrasound", wants: 130, facts: { note: "leased" } }] }] },
  ],
} as unknown as Office;
const at = (text: string) => finds(text, office).map((f) => f.at);

describe("what is looked for on the line", () => {
  it("is found in names, sockets, cards, addresses, serial numbers, places and notes; the same first", () => {
    expect(at("ultrasound")).toEqual(["rack.19", "annex.wall 7", "130"]);
    expect(at("a-12")).toEqual(["rack.19", "rack.20"]);
    expect(at("02:00:5e")).toEqual(["rack.19"]);
    expect(at("02-00-5E-10-00-01")).toEqual(["rack.19"]);
    expect(at("02005e10")).toEqual(["rack.19"]);
    expect(at("130.31")).toEqual(["rack.19"]);
    expect(at("sn-4471")).toEqual(["rack"]);
    expect(at("server room")).toEqual(["rack"]);
    expect(at("leased")).toEqual(["annex.wall 7"]);
    expect(at("imaging")).toEqual(["130"]);
    expect(at("x")).toEqual([]);
    expect(at("toaster")).toEqual([]);
  });
  it("is not looked for where a statement is typed", () => {
    expect(states("vlan 130 imaging", office)).toBe(true);
    expect(states("rack 19: 130", office)).toBe(true);
    expect(states("-rack limit", office)).toBe(true);
    expect(states("rack", office)).toBe(false);
    expect(states("ultrasound", office)).toBe(false);
  });
});
