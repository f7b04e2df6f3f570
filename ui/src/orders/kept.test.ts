import { expect, test } from "vitest";
import type { WorkOrder } from "../api/client";
import { withKept, type Kept } from "./kept.svelte";

const step = (text: string) => ({
  visit: 0,
  device: "a",
  kind: "set" as const,
  page: "",
  text,
  lines: [],
  back: [],
  undo: [],
  changes: [],
  told: [],
  interrupts: [],
  joins: [],
  blind: [],
});
const order = {
  id: 7,
  ticks: [{ step: 0, author: "Robin", at: "2026-01-01T10:00:00Z" }],
  order: { steps: [step("one"), step("two"), step("three")] },
} as unknown as WorkOrder;
const k = (over: Partial<Kept>): Kept => ({ office: 1, order: 7, step: 1, on: true, at: "2026-01-01T10:05:00Z", author: "Robin", ...over });

test("what is kept here goes on from what the server knows", () => {
  const now = withKept(order, [k({}), k({ step: 2, said: "refused", words: "no" }), k({ step: 2 })]);
  expect(now.ticks.map((t) => t.step)).toEqual([0, 1, 2]);
  expect(now.said?.map((x) => [x.step, x.said, x.words])).toEqual([[2, "refused", "no"]]);
  expect(withKept(order, [k({}), k({ on: false })]).ticks).toHaveLength(1);
});

test("what the server has already, or is of another order, is not done twice", () => {
  expect(withKept(order, [k({ step: 0 })]).ticks).toHaveLength(1);
  expect(withKept(order, [k({ order: 8 })]).ticks).toHaveLength(1);
});
