import { api, type Explanation, type Link } from "../api/client";
import type { Column } from "../board/fold";
import { office } from "./office.svelte";

interface Spot {
  row: number;
  column: number;
}

/** What is selected: a block of cells from anchor to cursor, or a cable. */
class Selection {
  cursor = $state<Spot>({ row: 0, column: 0 });
  anchor = $state<Spot>({ row: 0, column: 0 });
  cable = $state("");
  all = $state(false);
  unfolded = $state.raw(new Set<string>());
  columns = $state.raw<Column[]>([]);
  explained = $state.raw<Explanation | null>(null);
  private asked = 0;

  // The block's edges are numbers of their own: a cell that asks for them is
  // asked again only when one of them moves.
  private lastRow = $derived(Math.max(0, (office.view?.vlans.length ?? 1) - 1));
  private lastColumn = $derived(Math.max(0, this.columns.length - 1));
  top = $derived(Math.min(this.anchor.row, this.cursor.row, this.lastRow));
  bottom = $derived(Math.min(Math.max(this.anchor.row, this.cursor.row), this.lastRow));
  left = $derived(Math.min(this.anchor.column, this.cursor.column, this.lastColumn));
  right = $derived(Math.min(Math.max(this.anchor.column, this.cursor.column), this.lastColumn));
  ports = $derived(this.columns.slice(this.left, this.right + 1).flatMap((c) => c.ports));
  vlans = $derived((office.view?.vlans ?? []).slice(this.top, this.bottom + 1));
  /** The VLAN of the cursor's row: the one that is lit. */
  vlan = $derived(office.view?.vlans[Math.min(this.cursor.row, (office.view?.vlans.length ?? 1) - 1)]);

  go(row: number, column: number, extend = false) {
    const rows = office.view?.vlans.length ?? 1;
    const spot = {
      row: Math.max(0, Math.min(rows - 1, row)),
      column: Math.max(0, Math.min(this.columns.length - 1, column)),
    };
    this.cursor = spot;
    if (!extend) this.anchor = spot;
    this.cable = "";
    this.all = false;
  }

  /** Selects a cable, and the VLAN that breaks on it, if one does. */
  pickCable(l: Pick<Link, "a" | "b">) {
    const broken = office.view?.findings.find((f) => !f.cause && f.ports.includes(l.a) && f.ports.includes(l.b));
    const row = office.view?.vlans.findIndex((v) => v.vid === broken?.vlans.at(-1)) ?? -1;
    const column = this.columns.findIndex((c) => c.ports.includes(l.a));
    this.go(row >= 0 ? row : this.cursor.row, column >= 0 ? column : this.cursor.column);
    this.cable = `${l.a} ${l.b}`;
  }

  /** Selects the cable in the selected port. */
  cableHere() {
    const l = office.view?.links.find((l) => this.ports.includes(l.a) || this.ports.includes(l.b));
    if (l) this.pickCable(l);
    return !!l;
  }

  /** Finds a port's column, to go to it. */
  goTo(port: string, vid?: number) {
    const column = this.columns.findIndex((c) => c.ports.includes(port));
    const row = office.view?.vlans.findIndex((v) => v.vid === vid) ?? -1;
    this.go(row >= 0 ? row : this.cursor.row, column >= 0 ? column : this.cursor.column);
  }

  /** Unfolds the selected columns, or folds them again. */
  toggleFold() {
    const ports = this.ports;
    const first = ports[0];
    const open = new Set(this.unfolded);
    const folded = this.columns.slice(this.left, this.right + 1).some((c) => c.ports.length > 1);
    for (const p of ports) folded ? open.add(p) : open.delete(p);
    if (!folded && first) {
      // the neighbours that were unfolded with it fold again too
      const device = first.slice(0, first.indexOf("."));
      for (const p of [...open]) if (p.startsWith(device + ".")) open.delete(p);
    }
    this.unfolded = open;
    return first;
  }

  /** Asks for the words and the reach; a later question wins. */
  async explain() {
    const view = office.view;
    if (!view || !this.columns.length) return;
    const mine = ++this.asked;
    try {
      const x = await api.explain(view.id, this.ports, this.vlan?.vid ?? 0);
      if (mine === this.asked) this.explained = x;
    } catch {
      /* what is on the screen stays; the header says that the server is gone */
    }
  }
}

export const selection = new Selection();
