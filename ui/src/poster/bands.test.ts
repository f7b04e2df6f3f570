import { expect, test } from "vitest";
import type { Device, Port, Vlan } from "../api/client";
import { bands, hangs } from "./bands";

const port = (name: string, vid: number, more: Partial<Port> = {}) =>
  ({ name, kind: "physical", shape: `${vid}`, source: "port", pvid: vid, tagged: [], untagged: [vid], ...more }) as Port;
const device = (name: string, ports: Port[]) => ({ name, kind: "switch", forwarding: "bridge", ports }) as unknown as Device;
const vlan = (vid: number) => ({ vid, name: `v${vid}` }) as Vlan;

test("a device stays together where it fits, and goes on where it does not; nothing is lost", () => {
  const d = [
    device(
      "a",
      [1, 2, 3].map((n) => port(`${n}`, n)),
    ),
    device(
      "b",
      [1, 2, 3, 4, 5, 6, 7].map((n) => port(`${n}`, n)),
    ),
    device("c", [port("1", 9)]),
  ];
  const got = bands({ devices: d, order: ["a", "b", "c"], vlans: [1, 9].map(vlan) }, 5);
  expect(got.map((b) => b.parts.map((p) => `${p.on ? "…" : ""}${p.device} ${p.columns.length}`).join(", "))).toEqual([
    "a 3, b 2",
    "…b 5",
    "c 1",
  ]);
  const all = got.flatMap((b) => b.parts.flatMap((p) => p.columns.flatMap((c) => c.ports)));
  expect(all).toEqual(d.flatMap((x) => x.ports.map((p) => `${x.name}.${p.name}`)));
  const fits = bands(
    {
      devices: d.slice(0, 1).concat(
        d[2]!,
        device(
          "e",
          [1, 2].map((n) => port(`${n}`, n)),
        ),
      ),
      order: ["a", "c", "e"],
      vlans: [],
    },
    5,
  );
  expect(fits.map((b) => b.parts.map((p) => p.device).join(""))).toEqual(["ac", "e"]);
});

test("of many VLANs a strip has those that are in it", () => {
  const many = Array.from({ length: 40 }, (_, i) => vlan(i + 1));
  const got = bands({ devices: [device("a", [port("1", 7), port("2", 9, { pvid: 12 })])], order: ["a"], vlans: many }, 44);
  expect(got[0]!.vlans.map((v) => v.vid)).toEqual([7, 9, 12]);
});

test("what hangs on a column is said with it", () => {
  const plug = (name: string) => ({ name, wants: 1, tagged: false, operator: false });
  const d = device("a", [
    port("1", 1, { plugs: [plug("till")] }),
    port("2", 1, { plugs: [plug("lamp")] }),
    port("3", 2, { cabled: ["b.9"] }),
  ]);
  const columns = bands({ devices: [d], order: ["a"], vlans: [] }, 44)[0]!.parts[0]!.columns;
  expect(columns.map((c) => hangs(c, { devices: [d] }))).toEqual(["till, lamp", "→ b 9"]);
});
