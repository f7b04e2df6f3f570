import { expect, it } from "vitest";
import { gathered } from "./story";

it("gathers steps that one person did at one device, and no others", () => {
  const step = (device: string, who: string, text: string) => ({ kind: "step" as const, at: "2026-01-01T00:00:00Z", who, device, text });
  const rows = gathered([
    step("rack", "Ida", "Save"),
    step("rack", "Ida", "PVID of 7: 120"),
    step("rack", "Ida", "Refused: VLAN 120 (table full)"),
    step("rack", "Ida", "VLAN 120"),
    step("rack", "Robin", "VLAN 110"),
    step("attic", "Robin", "VLAN 110"),
    { kind: "edit", at: "2026-01-01T00:00:00Z", who: "Ida", text: "rack 7: 120", revision: 3 },
  ]);
  expect(rows.map((r) => r.text)).toEqual([
    "2 steps done; the last: Save",
    "Refused: VLAN 120 (table full)",
    "VLAN 120",
    "VLAN 110",
    "VLAN 110",
    "rack 7: 120",
  ]);
  expect(new Set(rows.map((r) => r.key)).size).toBe(rows.length);
});
