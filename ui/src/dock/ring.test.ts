import { expect, test } from "vitest";
import { draw, round } from "./ring";

test("a ring is told in the order in which a frame meets its devices", () => {
  expect(round(["a.3", "b.4", "a.4", "c.3", "b.3", "c.4"]).devices).toEqual(["a", "b", "c"]);
  expect(round(["a.1", "d.1", "b.1", "c.1", "b.2", "d.2", "a.2", "c.2"]).devices).toEqual(["a", "d", "b", "c"]);
  expect(round(["a.1", "b.1", "a.2", "b.2"]).devices).toEqual(["a", "b"]);
  expect(round(["a.1", "a.2"]).devices).toEqual(["a"]);
});

test("two cables between the same two devices are drawn apart, whichever end comes first", () => {
  for (const ports of [
    ["a.1", "b.1", "a.2", "b.2"],
    ["a.1", "b.1", "b.2", "a.2"],
  ]) {
    const [x, y] = draw(ports, 400, 150).lines;
    expect(Math.abs(x!.mid.y - y!.mid.y)).toBeGreaterThan(20);
  }
});
