import { expect, it } from "vitest";
import type { Port } from "../api/client";
import { cells, chunks, inShape, type Around } from "./cells";
import type { Column } from "./fold";

const column = (more: Partial<Port>, port = "a.1"): Column => ({
  device: "a",
  ports: [port],
  label: port.slice(2),
  blank: false,
  x: 9,
  width: 20,
  port: { name: port.slice(2), kind: "physical", shape: "", untagged: [], tagged: [], pvid: 0, source: "port", ...more },
});
const around = (more: Partial<Around> = {}): Around => ({
  row: 3,
  from: 16,
  selected: () => false,
  flight: () => undefined,
  then: () => undefined,
  found: () => undefined,
  reached: () => false,
  cut: () => false,
  ...more,
});
const v = { vid: 110, name: "staff" };
const one = (c: Column, more?: Partial<Around>) => cells([c], v, around(more));

it("says how a VLAN stands on a port, for eyes and for screen readers", () => {
  expect(one(column({ untagged: [110], pvid: 110 }))).toMatch(/data-as="U".*aria-label="a 1, 110 staff: untagged".*>U<\/b>/);
  expect(one(column({ tagged: [110] }))).toMatch(/data-as="T".*>T<\/b>/);
  expect(one(column({}))).toMatch(/data-as="none"[^>]*><\/span>/);
});

it("marks a PVID only where it is not the untagged VLAN", () => {
  expect(one(column({ untagged: [110], pvid: 110 }))).not.toContain("PVID");
  expect(one(column({ pvid: 110 }))).toMatch(/not a member, the PVID".*class="p"/);
  expect(one(column({ tagged: [110], pvid: 110 }))).toContain("<sup>p</sup>");
  expect(one(column({ untagged: [110] }))).toMatch(/no PVID".*∅/);
});

it("draws what waits for Enter and what is on its way", () => {
  expect(one(column({}), { then: () => "T" })).toMatch(/turning.*data-as="none" data-then="T".*class="t">T/);
  expect(one(column({ tagged: [110] }), { then: () => "" })).toMatch(/data-then="none".*>–</);
  expect(one(column({}), { flight: () => "U" })).toMatch(/flight.*data-as="U"/);
  expect(one(column({}), { flight: () => "U" })).not.toContain("PVID");
});

it("draws what was found beside what is planned", () => {
  expect(one(column({ untagged: [110], pvid: 110 }), { found: () => "T" })).toMatch(/found tagged".*>U<\/b><sub>T<\/sub>/);
  expect(one(column({ untagged: [110], pvid: 110 }), { found: () => "" })).toContain("<sub>–</sub>");
});

it("keeps markup in names as text", () => {
  const html = one(column({}, 'a.<img src=x onerror="1">'));
  expect(html).not.toContain("<img");
  expect(html.match(/<span/g)).toHaveLength(1);
});

it("keeps chunks that say the same, and makes new ones only where columns changed", () => {
  const all = Array.from({ length: 100 }, (_, i) => column({}, `a.${i}`));
  const first = chunks(all, 0, 50, []);
  expect(first.map((c) => c.from)).toEqual([0, 16, 32, 48]);
  const moved = chunks([...all], 20, 70, first);
  expect(moved.map((c) => c.from)).toEqual([16, 32, 48, 64]);
  expect(moved[0]).toBe(first[1]);
  const changed = [...all];
  changed[33] = column({ tagged: [110] }, "a.33");
  const next = chunks(changed, 20, 70, moved);
  expect(next.map((c, i) => c === moved[i])).toEqual([true, false, true, true]);
});

it.each([
  ["190 [110 120-122]", 190, "U"],
  ["190 [110 120-122]", 121, "T"],
  ["190 [110 120-122]", 19, ""],
  ["110+120 pvid 110", 120, "U"],
  ["-", 1, ""],
  ["off", 1, ""],
  ["[22@222]", 22, "T"],
  ["[22@222]", 222, ""],
  ["- pvid 110", 110, ""],
  ["110 pvid 120 admit tagged", 120, ""],
])("reads how a VLAN stands in %s", (shape, vid, want) => expect(inShape(shape, vid)).toBe(want));
