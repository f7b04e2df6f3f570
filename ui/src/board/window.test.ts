import { expect, it } from "vitest";
import type { Column } from "./fold";
import { seenColumns, seenRows } from "./window";

const columns = Array.from({ length: 1000 }, (_, i) => ({ x: 9 + i * 20, width: 20 }) as Column);

it("draws all columns that are seen, and few more", () => {
  for (const left of [0, 7, 200, 3333, 19_000]) {
    const run = seenColumns(columns, left, 600);
    columns.forEach((c, i) => {
      if (c.x + c.width > left && c.x < left + 600) expect(i >= run.from && i < run.to, `column ${i} at ${left}`).toBe(true);
    });
    expect(run.to - run.from).toBeLessThan(31 + 4 * 8);
  }
});

it("draws the same for a small move", () => {
  expect(seenColumns(columns, 400, 600)).toEqual(seenColumns(columns, 405, 600));
});

it("draws all rows where they fit, none where there are none", () => {
  expect(seenRows(10, 0, 400, 26)).toEqual({ from: 0, to: 10 });
  expect(seenRows(0, 0, 400, 26)).toEqual({ from: 0, to: 0 });
  const run = seenRows(500, 26 * 100, 390, 26);
  expect(run.from).toBeLessThanOrEqual(100);
  expect(run.to).toBeGreaterThanOrEqual(115);
  expect(run.to - run.from).toBeLessThan(50);
});
