import { asks } from "../devices/asks";

// What is chosen, as notation has it. Nothing is decided here: the server reads the line like
// one that was typed, and refuses what cannot be.

export type Shape = { untagged: number; tagged: number[]; rest: "" | "all" | "needed"; pvid: number };

/** A shape: 190 [110 160], [needed], 130 pvid 1, - */
export function shape(s: Shape): string {
  const tagged = s.rest ? `[${s.rest}]` : s.tagged.length ? `[${[...s.tagged].sort((a, b) => a - b).join(" ")}]` : "";
  const pvid = s.pvid && s.pvid !== s.untagged ? `pvid ${s.pvid}` : "";
  return [s.untagged || "", tagged, pvid].filter(Boolean).join(" ") || "-";
}

export type Chosen = {
  kind: string;
  ports: string;
  speed: string;
  more: string;
  fast: string;
  wording: string;
  follows: string;
  managed: string;
  address: string;
};

/** What a device is, as add takes it: switch, 24 ports 1G and 2 10G, by VLAN, follows desks, managed in 190 10.0.190.4 */
export function device(d: Chosen): string {
  const inner = d.more ? ` and ${d.more} ${d.fast}` : "";
  return [
    d.kind === "wap" ? "access point" : d.kind === "unmanaged" ? "unmanaged switch" : d.kind,
    d.ports && `${d.ports} ${d.ports === "1" ? "port" : "ports"} ${d.speed}${inner}`,
    d.wording === "linux" ? d.wording : asks(d.wording),
    d.follows && `follows ${d.follows}`,
    d.managed && `managed in ${d.managed}${d.address.trim() ? ` ${d.address.trim()}` : ""}`,
  ]
    .filter(Boolean)
    .join(", ");
}

/** Where a device is managed: 190 10.0.190.4/24 via 10.0.190.1 */
export const manage = (vid: string, address: string, prefix: string, via: string) =>
  [
    vid,
    address.trim() && address.trim() + (prefix.trim() && !address.includes("/") ? `/${prefix.trim()}` : ""),
    address.trim() && via.trim() && `via ${via.trim()}`,
  ]
    .filter(Boolean)
    .join(" ");

/** What a device takes only so much of: vlans 64 rows 16 */
export const limits = (of: Record<string, string>) =>
  Object.entries(of)
    .filter(([, n]) => n.trim())
    .map(([word, n]) => `${word} ${n.trim()}`)
    .join(" ");

/** A rule: allow zone staff to vlan 130 tcp/443 "why" */
export const rule = (act: string, from: string, to: string, services: string, note: string) =>
  [act, from.trim() || "any", "to", to.trim() || "any", services.trim(), note.trim() && JSON.stringify(note.trim())]
    .filter(Boolean)
    .join(" ");
