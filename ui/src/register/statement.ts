import type { Vlan } from "../api/client";

/** A line of the register as a statement; what is "" is left out. */
export function statement(v: { vid: number; name: string; note?: string; nets: string; local: boolean }): string {
  const nets = v.nets
    .split(/[\s,]+/)
    .filter(Boolean)
    .map((n) => ` net ${n}`)
    .join("");
  const note = v.note?.trim() ? ` ${JSON.stringify(v.note.trim())}` : "";
  return `vlan ${v.vid} ${v.name.trim()}${note}${nets}${v.local ? " local" : ""}`;
}

export type Address = NonNullable<Vlan["addresses"]>[number];

/** An address of a VLAN as a statement of its device. */
export function address(vid: number, a: Address): string {
  const on = a.on?.trim() ? ` on ${/^[\w.-]+$/.test(a.on.trim()) ? a.on.trim() : JSON.stringify(a.on.trim())}` : "";
  const zone = a.zone?.trim() ? ` zone ${/^[\w.-]+$/.test(a.zone.trim()) ? a.zone.trim() : JSON.stringify(a.zone.trim())}` : "";
  const handout = a.from?.trim() || a.to?.trim() ? ` handout ${a.from?.trim()}-${a.to?.trim()}` : "";
  return `${a.device} address ${vid} ${a.address.trim()}${on}${zone}${handout}`;
}
