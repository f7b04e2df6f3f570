import { describe, expect, it } from "vitest";
import { address, statement } from "./statement";

describe("statements of the register", () => {
  it("say what a form says, and leave out what is empty", () => {
    expect(statement({ vid: 110, name: " staff ", note: 'the "desk"', nets: "10.0.110.0/24, fd00::/64", local: false })).toBe(
      'vlan 110 staff "the \\"desk\\"" net 10.0.110.0/24 net fd00::/64',
    );
    expect(statement({ vid: 999, name: "parking", nets: "", local: true })).toBe("vlan 999 parking local");
    expect(
      address(110, { device: "gate", address: "10.0.110.1/24", on: "lan 1", zone: "in", from: "10.0.110.50", to: "10.0.110.99" }),
    ).toBe('gate address 110 10.0.110.1/24 on "lan 1" zone in handout 10.0.110.50-10.0.110.99');
    expect(address(110, { device: "gate", address: "10.0.110.1/24" })).toBe("gate address 110 10.0.110.1/24");
  });
});
