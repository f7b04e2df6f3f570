import type { Vlan } from "../api/client";
import { office } from "./office.svelte";

export const sorts = ["number", "name", "trouble"] as const;
export type Sort = (typeof sorts)[number];

const trouble = { split: 0, merged: 1, whole: 2, unused: 3 };

/** The rows that a filter leaves, in order: by words of number, name, note and state. */
export function arrange(vlans: Vlan[], filter: string, sort: Sort): Vlan[] {
  const words = filter.toLowerCase().split(/\s+/).filter(Boolean);
  const left = words.length
    ? vlans.filter((v) => {
        const text = `${v.vid} ${v.name} ${v.note ?? ""} ${v.state}`.toLowerCase();
        return words.every((w) => text.includes(w));
      })
    : vlans;
  if (sort === "number") return left;
  const by =
    sort === "name" ? (a: Vlan, b: Vlan) => a.name.localeCompare(b.name) : (a: Vlan, b: Vlan) => trouble[a.state] - trouble[b.state];
  return [...left].sort((a, b) => by(a, b) || a.vid - b.vid);
}

/** The rows of the board. */
class Rows {
  filter = $state("");
  sort = $state<Sort>("number");
  list = $derived(arrange(office.shown?.vlans ?? [], this.filter, this.sort));

  turn() {
    this.sort = sorts[(sorts.indexOf(this.sort) + 1) % sorts.length]!;
  }
}

export const rows = new Rows();
