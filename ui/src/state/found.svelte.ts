import { inShape, letter } from "../board/cells";
import type { Column } from "../board/fold";
import { office } from "./office.svelte";

/** What devices were found to be set to, where it is not what they should be. */
class Found {
  private now = $derived(office.view?.found); // the same as long as nothing is found anew
  /** Ports that differ, with the shapes that they were found to have. */
  ports = $derived(new Map(Object.entries(this.now?.ports ?? {})));
  devices = $derived(this.now?.devices ?? []);
  /** By device: what of its addresses, routes and rules differs, in words. */
  routing = $derived(this.now?.routing ?? {});
  /** Whether the board shows both sides in its cells. */
  both = $state(false);
  /** Counts what was heard, so that a sheet that is open reads again. */
  heard = $state(0);

  /** The letter that was found where it is not the planned one; a hyphen for none, a space where nothing differs. */
  letter(c: Column, vid: number): string {
    const shape = c.ports.map((p) => this.ports.get(p)).find((s) => s !== undefined);
    if (shape === undefined) return " ";
    const now = letter(c.port, vid);
    const was = inShape(shape, vid);
    return was === now ? " " : was || "-";
  }
}

export const found = new Found();
