import type { Office, Vlan } from "../api/client";
import { letter } from "../board/cells";
import { layout, type Column } from "../board/fold";

/** The sheets that a poster is printed on, lying, and how many columns are read well on them. */
export const papers = { A4: 44, A3: 66 } as const;
export type Paper = keyof typeof papers;

export interface Part {
  device: string;
  /** The device goes on from the band before. */
  on: boolean;
  columns: Column[];
}

/** What stands side by side on one strip of the poster. */
export interface Band {
  parts: Part[];
  vlans: Vlan[];
}

/** Few VLANs stand on every strip; of many, those that are in it. */
const everywhere = 24;

/** How many columns a strip has: a little more than the paper is made for, where the office then fits on one. */
export function room(v: Pick<Office, "devices" | "order">, most: number): number {
  const all = layout(v.devices, v.order, new Set(), 1e6).columns.length;
  return all <= most * 1.3 ? Math.max(all, most / 2) : most;
}

/** Lays the board's columns out in strips of at most so many; a device stays together where it can. */
export function bands(v: Pick<Office, "devices" | "order" | "vlans">, most: number): Band[] {
  const out: Part[][] = [[]];
  let left = most;
  for (const g of layout(v.devices, v.order, new Set(), 1e6).groups) {
    let rest = g.columns;
    if (rest.length > left && (rest.length <= most || left < most / 4) && out.at(-1)!.length) {
      out.push([]);
      left = most;
    }
    for (let on = false; rest.length; on = true) {
      const here = rest.slice(0, left);
      out.at(-1)!.push({ device: g.device.name, on, columns: here });
      rest = rest.slice(here.length);
      left -= here.length;
      if (rest.length) {
        out.push([]);
        left = most;
      }
    }
    if (left <= 0) {
      out.push([]);
      left = most;
    }
  }
  return out
    .filter((parts) => parts.length)
    .map((parts) => ({
      parts,
      vlans:
        v.vlans.length <= everywhere
          ? v.vlans
          : v.vlans.filter((x) => parts.some((p) => p.columns.some((c) => letter(c.port, x.vid) || c.port.pvid === x.vid))),
    }));
}

/** What hangs on a column, in a few words: the far end of its cable, or what is plugged in. */
export function hangs(c: Column, v: Pick<Office, "devices">): string {
  const device = v.devices.find((d) => d.name === c.device);
  const ports = c.ports.map((r) => device?.ports.find((p) => `${c.device}.${p.name}` === r)).filter((p) => p !== undefined);
  const far = c.port.cabled?.map((r) => r.replace(".", " ")) ?? [];
  const plugs = ports.flatMap((p) => p.plugs ?? []).map((p) => p.name);
  const all = [...far.map((r) => `→ ${r}`), ...plugs];
  return all.length > 2 ? `${all[0]} +${all.length - 1}` : all.join(", ");
}
