import { expect, it } from "vitest";
import type { Change, Finding, Office, Port } from "../api/client";
import { merge } from "./merge";

const port = (name: string, shape: string) =>
  ({ name, kind: "physical", shape, untagged: [], tagged: [], pvid: 0, source: "port" }) as Port;
const finding = (id: string, text = id, after?: string) =>
  ({ id, text, after, code: "split", severity: "breaks", vlans: [], ports: [], mends: [] }) as Finding;
const device = (name: string, ...ports: Port[]) => ({ name, kind: "switch", forwarding: "bridge", ports }) as Office["devices"][number];
const link = (a: string, b: string, vlans: number[] = []) => ({ a, b, cables: 1, vlans, broken: false, labels: [] });
const vlan = (vid: number, state = "whole") =>
  ({ vid, name: `v${vid}`, nets: [], local: false, registered: true, state, parts: 1 }) as Office["vlans"][number];
const old: Office = {
  id: 1,
  title: "t",
  revision: 1,
  whole: true,
  order: ["a", "b"],
  devices: [device("a", port("1", "10"), port("2", "20")), device("b", port("1", "-"))],
  vlans: [vlan(10), vlan(20), vlan(777)],
  links: [link("a.1", "b.1"), link("a.2", "b.2")],
  findings: ["w", "x", "y", "z"].map((id) => finding(id)),
  uses: [],
  services: [],
  wishes: [],
  plans: [],
  found: { devices: ["a", "b"], ports: { "a.1": "30", "b.1": "40" }, routing: { a: ["a lets ping pass"], b: ["b keeps no state"] } },
};
const change = (more: Partial<Change>): Change => ({
  id: 1,
  title: "t",
  revision: 2,
  whole: false,
  order: ["a", "b"],
  devices: [],
  vlans: [],
  links: [],
  findings: [],
  ...more,
});

it("keeps every object that it is not told of", () => {
  const now = merge(old, change({ devices: [{ ...device("a", port("2", "30")), some: true }] }));
  expect(now.revision).toBe(2);
  expect(now.devices[0]!.ports.map((p) => p.shape)).toEqual(["10", "30"]);
  expect(now.devices[0]!.ports[0]).toBe(old.devices[0]!.ports[0]);
  expect(now.devices[1]).toBe(old.devices[1]);
  for (const part of ["vlans", "links", "findings", "uses", "plans", "found"] as const) expect(now[part]).toBe(old[part]);
});

it("takes a device whole where its ports are others", () => {
  const now = merge(old, change({ devices: [device("a", port("x", "1"))] }));
  expect(now.devices[0]!.ports.map((p) => p.name)).toEqual(["x"]);
});

it("puts findings where they belong, and takes away those that are gone", () => {
  const now = merge(
    old,
    change({ gone: ["x"], findings: [finding("first", "new", ""), finding("y", "otherwise", "w"), finding("last", "new", "z")] }),
  );
  expect(now.findings.map((f) => f.id)).toEqual(["first", "w", "y", "z", "last"]);
  expect(now.findings[2]!.text).toBe("otherwise");
  expect(now.findings[1]).toBe(old.findings[0]);
});

it("has rows by number, without those that are gone", () => {
  const now = merge(old, change({ vlans: [vlan(15), vlan(20, "split")], goneVlans: [777] }));
  expect(now.vlans.map((v) => `${v.vid} ${v.state}`)).toEqual(["10 whole", "15 whole", "20 split"]);
  expect(now.vlans[0]).toBe(old.vlans[0]);
});

it("knows cables by both ends, and what was found by its device", () => {
  const now = merge(old, change({ links: [link("a.2", "b.2", [10])], found: { devices: ["a"], ports: { "a.2": "50" }, routing: {} } }));
  expect(now.links.map((l) => l.vlans)).toEqual([[], [10]]);
  expect(now.found).toEqual({ devices: ["a", "b"], ports: { "b.1": "40", "a.2": "50" }, routing: { b: ["b keeps no state"] } });
});
