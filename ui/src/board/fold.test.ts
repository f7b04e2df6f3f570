import { describe, expect, it } from "vitest";
import type { Device, Link, Port } from "../api/client";
import { fold, layout, runName } from "./fold";
import { brackets } from "./lanes";
import { colours } from "./hue";

const port = (name: string, more: Partial<Port> = {}): Port => ({
  name,
  kind: "physical",
  shape: "",
  untagged: [],
  tagged: [],
  pvid: 0,
  source: "port",
  ...more,
});
const device = (name: string, ports: Port[]): Device => ({ name, kind: "switch", forwarding: "bridge", ports });
const desk = { untagged: [110], pvid: 110 };

describe("fold", () => {
  const d = device("rack", [
    port("1", desk),
    port("2", desk),
    port("3", desk),
    port("4", { untagged: [110], pvid: 1 }),
    port("5", { bundle: "up" }),
    port("6", { bundle: "up" }),
    port("7", { ...desk, cabled: ["x.1"] }),
    port("up", { kind: "bundle", members: ["5", "6"], tagged: [110] }),
  ]);
  const labels = (open: string[] = []) => fold(d, new Set(open)).map((c) => c.label);

  it("folds neighbours with the same shape, and puts a bundle where its ports are", () => {
    expect(labels()).toEqual(["1–3", "4", "up", "7"]);
  });
  it("unfolds what is worked on", () => {
    expect(labels(["rack.1", "rack.2", "rack.3"])).toEqual(["1", "2", "3", "4", "up", "7"]);
  });
  it("sets all ports of a folded column", () => {
    expect(fold(d, new Set())[0]!.ports).toEqual(["rack.1", "rack.2", "rack.3"]);
  });
  it("names runs as they are read", () => {
    expect(runName("lan2", "lan4")).toBe("lan2–4");
    expect(runName("wan", "dmz")).toBe("wan–dmz");
    expect(runName("1", "1")).toBe("1");
  });
});

describe("layout", () => {
  it("goes in the order from the gateway outwards, and fits the room where it can", () => {
    const a = device("a", [port("1", desk)]);
    const b = device("b", [port("1", desk), port("2")]);
    const l = layout([a, b], ["b", "a"], new Set(), 1000);
    expect(l.groups.map((g) => g.device.name)).toEqual(["b", "a"]);
    expect(l.columns.map((c) => c.blank)).toEqual([false, true, false]);
    expect(l.width).toBeLessThan(1000);
  });
});

describe("brackets", () => {
  it("gives crossing cables lanes of their own", () => {
    const d = device(
      "a",
      Array.from({ length: 8 }, (_, i) => port(`${i + 1}`, { ...desk, cabled: ["x"] })),
    );
    const l = layout([d], ["a"], new Set(), 400);
    const link = (a: number, b: number): Link => ({ a: `a.${a}`, b: `a.${b}`, cables: 1, vlans: [], broken: false, labels: [] });
    const drawn = brackets([link(1, 4), link(2, 6), link(7, 8)], l.columns, l.width);
    const lane = Object.fromEntries(drawn.map((b) => [b.link.a, b.lane]));
    expect(lane["a.1"]).not.toBe(lane["a.2"]);
    expect(lane["a.7"]).toBe(0);
  });
});

describe("colours", () => {
  it("gives each VLAN a hue of its own that stays when others come", () => {
    const few = colours([
      { vid: 110, local: false },
      { vid: 130, local: false },
    ]);
    const more = colours([110, 130, 140, 150, 190].map((vid) => ({ vid, local: false })));
    expect(new Set(more.values()).size).toBe(5);
    expect(more.get(110)).toBe(few.get(110));
    expect(colours([{ vid: 999, local: true }]).get(999)).toContain("0.015");
  });
});
