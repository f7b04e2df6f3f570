const most = 100;

/** What was typed on the line before, the newest first; kept by the browser. */
class Past {
  private lines: string[] = [];
  private at = -1;
  private typed = "";

  constructor() {
    try {
      this.lines = (JSON.parse(localStorage.getItem("klammer-line") ?? "[]") as unknown[]).filter((x) => typeof x === "string");
    } catch {
      /* nothing kept that can be read: it starts anew */
    }
  }

  add(line: string) {
    this.lines = [line, ...this.lines.filter((l) => l !== line)].slice(0, most);
    this.at = -1;
    try {
      localStorage.setItem("klammer-line", JSON.stringify(this.lines));
    } catch {
      /* no room: for this page only */
    }
  }

  /** The line one step further back (1) or forth (-1); null where there is none. */
  turn(step: 1 | -1, now: string): string | null {
    if (this.at < 0) this.typed = now;
    else if (this.lines[this.at] !== now) this.at = -1; // it was changed: begin again from it
    const to = this.at + step;
    if (to < -1 || to >= this.lines.length) return null;
    this.at = to;
    return to < 0 ? this.typed : this.lines[to]!;
  }
}

export const past = new Past();
