import { describe, expect, it } from "vitest";
import type { Vlan } from "../api/client";
import { standIn } from "./page.stub";

standIn();

describe("rows", () => {
  const vlan = (vid: number, name: string, state: Vlan["state"], note = ""): Vlan => ({
    vid,
    name,
    state,
    note,
    nets: [],
    local: false,
    registered: true,
    parts: 1,
  });
  const all = [
    vlan(10, "staff", "whole", "front desk"),
    vlan(20, "phones", "split"),
    vlan(30, "guests", "whole"),
    vlan(110, "lab", "unused"),
  ];

  it("are those that have all the words", async () => {
    const { arrange } = await import("./rows.svelte");
    const names = (filter: string) => arrange(all, filter, "number").map((v) => v.vid);
    expect(names("")).toEqual([10, 20, 30, 110]);
    expect(names("10")).toEqual([10, 110]);
    expect(names("WHOLE desk")).toEqual([10]);
    expect(names("nothing")).toEqual([]);
  });

  it("are sorted by name or with the trouble on top, the number breaking ties", async () => {
    const { arrange } = await import("./rows.svelte");
    expect(arrange(all, "", "name").map((v) => v.vid)).toEqual([30, 110, 20, 10]);
    expect(arrange(all, "", "trouble").map((v) => v.vid)).toEqual([20, 10, 30, 110]);
    expect(all.map((v) => v.vid)).toEqual([10, 20, 30, 110]);
  });
});
