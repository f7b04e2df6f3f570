import type { Vlan } from "../api/client";

/**
 * Each VLAN has a hue of its own, the same in every view and every session. The
 * hues of red and amber are left out: those say what breaks and what is risky.
 */
export function hue(v: Pick<Vlan, "vid" | "local">): string {
  const turn = (v.vid * 0.381966) % 1;
  const degrees = (90 + turn * 275) % 360;
  return v.local ? "oklch(var(--vlan-l) 0.015 260)" : `oklch(var(--vlan-l) var(--vlan-c) ${degrees.toFixed(0)})`;
}
