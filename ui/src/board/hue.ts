import type { Vlan } from "../api/client";

/**
 * Hues that stand apart, without those of red and amber: these say what breaks
 * and what is risky.
 */
const hues = 11;
const degrees = (slot: number) => (95 + (slot * 265) / (hues - 1)) % 360;

/**
 * Gives each VLAN a hue of its own, the same in every view. It comes from the
 * number, so that it stays when others come and go; where two would share one,
 * the higher number takes the next that is free. Local VLANs are grey.
 */
export function colours(vlans: Pick<Vlan, "vid" | "local">[]): Map<number, string> {
  const out = new Map<number, string>();
  const taken = new Set<number>();
  for (const v of vlans) {
    if (v.local) {
      out.set(v.vid, "oklch(var(--vlan-l) 0.015 260)");
      continue;
    }
    let slot = Math.floor(((v.vid * 0.381966) % 1) * hues);
    if (taken.size >= hues) taken.clear();
    while (taken.has(slot)) slot = (slot + 4) % hues;
    taken.add(slot);
    out.set(v.vid, `oklch(var(--vlan-l) var(--vlan-c) ${degrees(slot).toFixed(0)})`);
  }
  return out;
}
