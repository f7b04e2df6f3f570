import { tick } from "svelte";
import { latest } from "../api/latest";
import { api, type Device, type Explanation, type Link, type Look } from "../api/client";
import type { Column } from "../board/fold";
import { office } from "./office.svelte";
import { people } from "./people.svelte";
import { rows } from "./rows.svelte";
import { sites } from "./sites.svelte";

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
  /** The first end of a cable that waits for its second. */
  end = $state("");
  unfolded = $state.raw(new Set<string>());
  columns = $state.raw<Column[]>([]);
  explained = $state.raw<Explanation | null>(null);
  /** The finding that was stepped to. */
  finding = $state("");
  private newest = latest();

  // The block's edges are numbers of their own: a cell that asks for them is
  // asked again only when one of them moves.
  private lastRow = $derived(Math.max(0, rows.list.length - 1));
  private lastColumn = $derived(Math.max(0, this.columns.length - 1));
  top = $derived(Math.min(this.anchor.row, this.cursor.row, this.lastRow));
  bottom = $derived(Math.min(Math.max(this.anchor.row, this.cursor.row), this.lastRow));
  left = $derived(Math.min(this.anchor.column, this.cursor.column, this.lastColumn));
  right = $derived(Math.min(Math.max(this.anchor.column, this.cursor.column), this.lastColumn));
  ports = $derived(this.columns.slice(this.left, this.right + 1).flatMap((c) => c.ports));
  vlans = $derived(rows.list.slice(this.top, this.bottom + 1));
  /** The VLAN of the cursor's row: the one that is lit. */
  vlan = $derived(rows.list[Math.min(this.cursor.row, this.lastRow)]);
  /** The device of the cursor's column. */
  device = $derived(this.columns[Math.min(this.cursor.column, this.lastColumn)]?.device ?? "");

  go(row: number, column: number, extend = false) {
    const spot = {
      row: Math.max(0, Math.min(this.lastRow, row)),
      column: Math.max(0, Math.min(this.lastColumn, column)),
    };
    this.cursor = spot;
    if (!extend) this.anchor = spot;
    this.cable = "";
    this.all = false;
    this.finding = "";
  }

  /** Selects a cable, and the VLAN that breaks on it, if one does. */
  pickCable(l: Pick<Link, "a" | "b">) {
    const broken = office.shown?.findings.find((f) => !f.cause && f.ports.includes(l.a) && f.ports.includes(l.b));
    const row = rows.list.findIndex((v) => v.vid === broken?.vlans.at(-1));
    const column = this.columns.findIndex((c) => c.ports.includes(l.a));
    this.go(row >= 0 ? row : this.cursor.row, column >= 0 ? column : this.cursor.column);
    this.cable = `${l.a} ${l.b}`;
  }

  /** The cable in one of the selected ports. */
  cableHere(): Link | undefined {
    return office.shown?.links.find((l) => this.ports.includes(l.a) || this.ports.includes(l.b));
  }

  /** Shows every site where a device stands at another than is looked at; says whether it did. */
  private elsewhere(device: string): boolean {
    if (sites.has(device) || !office.shown?.devices.some((d) => d.name === device)) return false;
    sites.choose("all");
    return true;
  }

  /** Finds a port's column, to go to it; what hides its row is taken away. */
  goTo(port: string, vid?: number) {
    if (vid && rows.filter && !rows.list.some((v) => v.vid === vid)) rows.filter = "";
    const column = this.columns.findIndex((c) => c.ports.includes(port));
    if (column < 0 && this.elsewhere(port.slice(0, port.indexOf(".")))) return void tick().then(() => this.goTo(port, vid));
    const row = rows.list.findIndex((v) => v.vid === vid);
    this.go(row >= 0 ? row : this.cursor.row, column >= 0 ? column : this.cursor.column);
  }

  /** Goes to a device's first column. */
  goToDevice(name: string) {
    const column = this.columns.findIndex((c) => c.device === name);
    if (column < 0 && this.elsewhere(name)) return void tick().then(() => this.goToDevice(name));
    if (column >= 0) this.go(this.cursor.row, column);
  }

  /** Steps to the next or the one before of the faults, worst first. */
  step(by: 1 | -1) {
    const roots = (office.shown?.findings ?? []).filter((f) => !f.cause);
    if (!roots.length) return;
    const at = roots.findIndex((f) => f.id === this.finding);
    const f = roots[at < 0 ? (by > 0 ? 0 : roots.length - 1) : (at + by + roots.length) % roots.length]!;
    const port = f.ports[0];
    if (port) this.goTo(port, f.vlans.at(-1));
    else {
      const row = rows.list.findIndex((v) => v.vid === f.vlans[0]);
      this.go(row >= 0 ? row : this.cursor.row, this.cursor.column);
      if (f.devices?.[0]) this.goToDevice(f.devices[0]);
    }
    this.finding = f.id;
  }

  /** Unfolds the selected columns, or folds them again. */
  toggleFold() {
    const ports = this.ports;
    const first = ports[0];
    const folded = this.columns.slice(this.left, this.right + 1).some((c) => c.ports.length > 1);
    const open = new Set(this.unfolded);
    for (const p of ports) folded ? open.add(p) : open.delete(p);
    if (!folded && first) {
      // the neighbours that were unfolded with it fold again too
      const device = first.slice(0, first.indexOf("."));
      for (const p of [...open]) if (p.startsWith(device + ".")) open.delete(p);
    }
    this.unfolded = open;
    return first;
  }

  /** Unfolds all ports of some devices, or folds them where they are unfolded. */
  foldDevices(devices: Device[]) {
    const refs = devices.flatMap((d) => d.ports.map((p) => `${d.name}.${p.name}`));
    const open = new Set(this.unfolded);
    const shut = refs.every((r) => open.has(r));
    for (const r of refs) shut ? open.delete(r) : open.add(r);
    this.unfolded = open;
    return this.ports[0];
  }

  /** What is shown beside the board. */
  look = (): Look => ({ ports: this.ports, vlan: this.vlan?.vid ?? 0 });

  /** Asks for the words and the reach; a later question wins. */
  async explain() {
    const view = office.shown;
    this.newest.drop();
    if (!view || !this.columns.length) return;
    if (office.asFound) {
      this.explained = null; // the words are of the plan
      return;
    }
    people.at(this.ports[0] ?? "", this.vlan?.vid ?? 0);
    const look = JSON.stringify(this.look());
    if (!office.then && office.looked?.revision === view.revision && office.looked.at === look) {
      this.explained = office.looked.says; // the edit told it
      return;
    }
    try {
      this.explained = await this.newest(api.explain(view.id, this.ports, this.vlan?.vid ?? 0, office.then?.revision));
    } catch {
      /* what is on the screen stays; the header says that the server is gone */
    }
  }
}

export const selection = new Selection();
