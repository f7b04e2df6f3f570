import { expect, it } from "vitest";
import { device, limits, manage, rule, shape } from "./said";

it("says a shape as it is written", () => {
  const none = { untagged: 0, tagged: [], rest: "" as const, pvid: 0 };
  expect(shape(none)).toBe("-");
  expect(shape({ ...none, untagged: 190, tagged: [160, 110] })).toBe("190 [110 160]");
  expect(shape({ ...none, untagged: 190, tagged: [160], rest: "needed" })).toBe("190 [needed]");
  expect(shape({ ...none, rest: "all" })).toBe("[all]");
  expect(shape({ ...none, untagged: 130, pvid: 1 })).toBe("130 pvid 1");
  expect(shape({ ...none, untagged: 130, pvid: 130 })).toBe("130");
});

it("says what a device is, and where it is managed", () => {
  const d = {
    kind: "switch",
    ports: "24",
    speed: "1G",
    more: "2",
    fast: "10G",
    wording: "by-vlan",
    follows: "",
    managed: "190",
    address: "",
  };
  expect(device(d)).toBe("switch, 24 ports 1G and 2 10G, by VLAN, managed in 190");
  expect(device({ ...d, kind: "wap", ports: "1", more: "", wording: "by-inner-port", managed: "190", address: "10.0.190.4" })).toBe(
    "access point, 1 port 1G, by inner port, managed in 190 10.0.190.4",
  );
  expect(manage("190", "10.0.190.4", "24", "10.0.190.1")).toBe("190 10.0.190.4/24 via 10.0.190.1");
  expect(manage("190", "", "24", "10.0.190.1")).toBe("190");
  expect(limits({ vlans: "64", rows: "", rules: "32" })).toBe("vlans 64 rules 32");
});

it("says a rule", () => {
  expect(rule("allow", "zone staff", "vlan 130", "tcp/443", "the archive")).toBe('allow zone staff to vlan 130 tcp/443 "the archive"');
  expect(rule("deny", "", "", "", "")).toBe("deny any to any");
});
