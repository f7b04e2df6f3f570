import { api } from "../api/client";
import { inShape, letter } from "../board/cells";
import type { Column } from "../board/fold";
import { office } from "./office.svelte";

/** What devices were found to be set to, where it is not what they should be. */
class Found {
  /** Ports that differ, with the shapes that they were found to have. */
  ports = $state.raw(new Map<string, string>());
  devices = $state.raw<string[]>([]);
  /** Whether the board shows both sides in its cells. */
  both = $state(false);
  /** Counts what was heard, so that a sheet that is open reads again. */
  heard = $state(0);
  private asked = 0;

  /** The letter that was found where it is not the planned one; a hyphen for none, a space where nothing differs. */
  letter(c: Column, vid: number): string {
    const shape = c.ports.map((p) => this.ports.get(p)).find((s) => s !== undefined);
    if (shape === undefined) return " ";
    const now = letter(c.port, vid);
    const was = inShape(shape, vid);
    return was === now ? " " : was || "-";
  }

  async read() {
    const id = office.view?.id;
    const mine = ++this.asked;
    if (!id) return;
    try {
      const f = await api.foundNow(id);
      if (mine !== this.asked) return;
      const same = JSON.stringify([...this.ports]) === JSON.stringify(Object.entries(f.ports));
      if (!same) this.ports = new Map(Object.entries(f.ports)); // else nothing is laid out anew
      this.devices = f.devices;
    } catch {
      /* a mark that is late is no loss */
    }
  }
}

export const found = new Found();
