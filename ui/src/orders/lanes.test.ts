import { expect, test } from "vitest";
import type { OrderStep } from "../api/client";
import { lasting, piece } from "./lanes";

const step = (over: Partial<OrderStep>): OrderStep => ({
  visit: 0,
  device: "a",
  kind: "set",
  page: "",
  text: "",
  lines: [],
  back: [],
  told: [],
  interrupts: [],
  joins: [],
  blind: [],
  ...over,
});

test("what lasts at once has lanes of its own, and a lane is used again", () => {
  const steps = [
    step({ interrupts: [{ vlan: 10, ports: ["a.1", "b.1"], until: 2 }], blind: ["b"] }),
    step({ device: "b" }),
    step({}),
    step({ joins: [{ vlans: [10, 20], until: 4 }] }),
    step({}),
  ];
  const all = lasting(steps, (v) => `VLAN ${v}`);
  expect(all.map((x) => [x.kind, x.from, x.until, x.lane])).toEqual([
    ["cut", 0, 2, 0],
    ["blind", 0, 1, 1],
    ["leak", 3, 4, 0],
  ]);
  expect(all[1]!.says).toBe("b is out of reach until step 2");
  expect([0, 1, 2, 3].map((s) => piece(all[0]!, s))).toEqual(["begin", "on", "end", ""]);
});
