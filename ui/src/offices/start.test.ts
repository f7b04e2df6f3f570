import { expect, it } from "vitest";
import { check, statements, usual } from "./start";

it("says what is wrong with the list of VLANs, by line", () => {
  expect(check("10 staff\n\n20 phones local")).toBe("");
  expect(check("Staff 10")).toContain("line 1: write a number and a name");
  expect(check("10 staff\n4095 lab")).toContain("line 2: a VID is a whole number from 1 to 4094");
  expect(check("10 staff\n10 lab\n20 staff")).toBe("line 2: 10 is there already\nline 3: staff is there already");
});

it("makes statements of three answers: subnets that show the VID, a gateway in each, a cabled switch", () => {
  const { text, lines } = statements({ ...usual, title: 'The "Old" Forge', vlans: "1 default local\n10 staff\n90 devices" });
  expect(text.split("\n")).toEqual([
    'office "The \\"Old\\" Forge"',
    "vlan 1 default local",
    "vlan 10 staff net 10.0.10.0/24",
    "vlan 90 devices net 10.0.90.0/24",
    "",
  ]);
  expect(lines).toEqual([
    "add gate firewall, ports wan, ports lan1-lan4",
    "gate lan1: 90 [needed]",
    "gate address 10 10.0.10.1/24 on lan1",
    "gate address 90 10.0.90.1/24 on lan1",
    "gate outside internet on wan",
    "add rack switch, 24 ports, by VLAN",
    "rack last: 90 [needed]",
    "cable gate.lan1 rack.last",
    "rack manage 90",
  ]);
});

it("leaves out what has no name", () => {
  expect(statements({ ...usual, title: "x", gateway: "", first: "" }).lines).toEqual([]);
  expect(statements({ ...usual, title: "x", pattern: "" }).text).not.toContain("net");
});
