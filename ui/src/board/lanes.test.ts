import { expect, it } from "vitest";
import type { Link } from "../api/client";
import type { Column } from "./fold";
import { brackets } from "./lanes";

const column = (port: string, x: number) => ({ ports: [port], x, width: 20 }) as unknown as Column;
const link = (a: string, b: string, labels: string[] = []) => ({ a, b, labels, cables: 1, mode: "" }) as unknown as Link;

it("draws a cable to another site from the end that is here, and says where it leads", () => {
  const drawn = brackets([link("rack.1", "rack.9"), link("rack.5", "mill.8", ["[10] lacks"]), link("mill.1", "dale.1")], [column("rack.1", 0), column("rack.5", 60), column("rack.9", 120)], 200); // prettier-ignore
  expect(drawn.map((b) => [b.link.a, b.x1, b.x2, b.label])).toEqual([
    ["rack.5", 70, 70, "→ mill 8, [10] lacks"],
    ["rack.1", 10, 130, ""],
  ]);
  expect(new Set(drawn.map((b) => b.lane)).size).toBe(2);
});
