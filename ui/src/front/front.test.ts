import { expect, it } from "vitest";
import type { Device, Plan } from "../api/client";
import { jacks, planned, twoRows } from "./front";

const shape = (vid: number) => ({ text: String(vid), untagged: [vid], tagged: [], pvid: vid });

it("lays a plan on fronts of any length: last counts from the end, a later line wins", () => {
  const plan = {
    lines: [
      { places: [[1, 4]], ports: "1-4", shape: shape(110) },
      { places: [[2, 2]], ports: "2", shape: shape(120) },
      { places: [[-1, 0]], ports: "last-1-last", shape: shape(190) },
    ],
  } as unknown as Plan;
  expect(planned(plan, 6).map((j) => j.untagged[0] ?? 0)).toEqual([110, 120, 110, 110, 190, 190]);
  expect(planned(plan, 3).map((j) => j.untagged[0] ?? 0)).toEqual([110, 190, 190]);
});

it("shows a bundle on each of its members, and leaves inner ports out", () => {
  const port = (name: string, more: object) => ({
    name,
    kind: "physical",
    shape: "-",
    untagged: [],
    tagged: [],
    pvid: 0,
    source: "port",
    ...more,
  });
  const d = {
    ports: [
      port("1", {}),
      port("2", { bundle: "up" }),
      port("up", { kind: "bundle", untagged: [190], shape: "190" }),
      port("ssid", { kind: "inner" }),
    ],
  } as unknown as Device;
  expect(jacks(d).map((j) => [j.name, j.shape])).toEqual([
    ["1", "-"],
    ["2", "190"],
  ]);
});

it("stands in two rows from eight ports on", () => {
  expect(twoRows([1, 2, 3])).toEqual([[1, 2, 3]]);
  expect(twoRows([1, 2, 3, 4, 5, 6, 7, 8])).toEqual([
    [1, 3, 5, 7],
    [2, 4, 6, 8],
  ]);
});
