import { expect, it } from "vitest";
import { chunks } from "./cells";
import type { Column } from "./fold";
import { columnStep, covers, seenColumns, seenRows } from "./window";

const columns = Array.from({ length: 1000 }, (_, i) => ({ x: 9 + i * 20, width: 20 }) as Column);

it("draws all columns that are seen, and few more", () => {
  for (const left of [0, 7, 200, 3333, 19_000]) {
    const run = seenColumns(columns, left, 600);
    columns.forEach((c, i) => {
      if (c.x + c.width > left && c.x < left + 600) expect(i >= run.from && i < run.to, `column ${i} at ${left}`).toBe(true);
    });
    expect(run.to - run.from).toBeLessThan(31 + 4 * columnStep);
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

it("says of what is drawn for one place that it does for another only where all that is seen there is in it", () => {
  let does = 0;
  for (let at = 0; at < 19_000; at += 37)
    for (const then of [at, at + 20, at + 300, at - 500, at + 4000]) {
      const drawn = chunks(columns, seenColumns(columns, at, 600).from, seenColumns(columns, at, 600).to, []);
      if (!covers(drawn, seenColumns(columns, then, 600), columns.length)) continue;
      does++;
      const last = drawn.at(-1)!;
      columns.forEach((c, i) => {
        if (c.x + c.width > then && c.x < then + 600) expect(i >= drawn[0]!.from && i < last.from + last.columns.length).toBe(true);
      });
    }
  expect(does).toBeGreaterThan(1000);
});
