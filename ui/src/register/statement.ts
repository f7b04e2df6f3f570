import type { Vlan } from "../api/client";

/** A line of the register as a statement; what is "" is left out. */
export function statement(v: { vid: number; name: string; note?: string; nets: string; local: boolean; guarded?: boolean }): string {
  const nets = v.nets
    .split(/[\s,]+/)
    .filter(Boolean)
    .map((n) => ` net ${n}`)
    .join("");
  const note = v.note?.trim() ? ` ${JSON.stringify(v.note.trim())}` : "";
  return `vlan ${v.vid} ${/\s/.test(v.name.trim()) ? JSON.stringify(v.name.trim()) : v.name.trim()}${note}${nets}${v.local ? " local" : ""}${v.guarded ? " guarded" : ""}`;
}

export type Address = NonNullable<Vlan["addresses"]>[number];

/** An address of a VLAN as a statement of its device. */
export function address(vid: number, a: Address): string {
  const on = a.on?.trim() ? ` on ${/^[\w.-]+$/.test(a.on.trim()) ? a.on.trim() : JSON.stringify(a.on.trim())}` : "";
  const zone = a.zone?.trim() ? ` zone ${/^[\w.-]+$/.test(a.zone.trim()) ? a.zone.trim() : JSON.stringify(a.zone.trim())}` : "";
  const handout = a.from?.trim() || a.to?.trim() ? ` handout ${a.from?.trim()}-${a.to?.trim()}` : "";
  const admits = a.admits?.trim() ? ` admits ${a.admits.trim()}` : "";
  return `${a.device} address ${vid} ${a.address.trim()}${on}${zone}${handout}${admits}${a.gateway ? " gateway" : ""}`;
}

/** The lines that make an address another: the same one is said again, a new one comes before the old one goes, so that what names its zone keeps it. */
export function changed(vid: number, was: Address, now: Address): string[] {
  const line = address(vid, now);
  return was.device === now.device && was.address === now.address.trim() ? [line] : [line, `-${was.device} address ${vid} ${was.address}`];
}
