import { expect, test } from "vitest";
import type { OrderStep } from "../api/client";
import { how, lasting, piece, touched } from "./lanes";

const step = (over: Partial<OrderStep>): OrderStep => ({
  visit: 0,
  device: "a",
  kind: "set",
  page: "",
  text: "",
  lines: [],
  back: [],
  undo: [],
  changes: [],
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

test("how a visit is done", () => {
  expect(how({ device: "a", at: "a.1", by: "port" })).toBe("laptop in a 1");
  expect(how({ device: "a", at: "b.1", by: "port" })).toBe("by hand, laptop in b 1");
  expect(how({ device: "a", at: "b console", by: "port" })).toBe("by hand, laptop at the console of b");
  expect(how({ device: "a", at: "", by: "port" })).toBe("by hand");
  expect(how({ device: "a", at: "b.1", by: "network" })).toBe("over the network, laptop in b 1");
  expect(how({ device: "a", at: "a console", by: "console" })).toBe("at its console");
});

test("the port that a step touches", () => {
  expect(touched(step({ device: "rack", lines: ["rack 19: 190 [130]"] }))).toBe("rack.19");
  expect(touched(step({ device: "rack", lines: ["rack 5-7,9: 110", "rack 19: 190"] }))).toBe("rack.5");
  expect(touched(step({ device: "yard", lines: ['yard "Waiting room": 160'] }))).toBe("yard.Waiting room");
  expect(touched(step({ device: "rack", kind: "cable", lines: ["-cable rack.5 a.1", "cable rack.6 a.1"] }))).toBe("rack.5");
  expect(touched(step({ device: "rack", kind: "save", lines: [] }))).toBe("");
  expect(touched(step({ device: "gate", lines: ["gate manage 190 10.0.0.1/24"] }))).toBe("");
});
