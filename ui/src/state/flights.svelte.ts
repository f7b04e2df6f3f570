import type { Column } from "../board/fold";
import type { Letter } from "../board/cells";

/** Cells that were set and are on their way to the server: drawn at once, and as they were again if it refuses. */
class Flights {
  private all = $state.raw<{ vids: Set<number>; ports: Set<string>; as: Letter }[]>([]);

  /** Starts one; the answer ends it. */
  start(vids: number[], ports: string[], as: "untagged" | "tagged" | "none"): () => void {
    const f = { vids: new Set(vids), ports: new Set(ports), as: { untagged: "U", tagged: "T", none: "" }[as] as Letter };
    this.all = [...this.all, f];
    return () => (this.all = this.all.filter((x) => x !== f));
  }

  /** A letter a column: what is on its way there, a hyphen for none, a space for nothing; "" where nothing flies. */
  of(vid: number, columns: Column[]): string {
    const mine = this.all.filter((f) => f.vids.has(vid));
    if (!mine.length) return "";
    return columns.map((c) => mine.reduce((was, f) => (f.ports.has(c.ports[0]!) ? f.as || "-" : was), " ")).join("");
  }
}

export const flights = new Flights();
