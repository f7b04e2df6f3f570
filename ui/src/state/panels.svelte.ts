/** What floats over the board. */
class Panels {
  keys = $state(false);
  /** Where one is shown around: its stop, counted from 1; 0 is not. */
  tour = $state(0);
  /** Of the board, the least height in which it is seen whole; 0 unknown. */
  board = $state(0);
  /** How high the dock was dragged, in px; 0 for as high as fits. */
  dock = $state(Number(kept("klammer-dock")) || 0);
  folded = $state(kept("klammer-dock-folded") === "1");
  dark = $state(document.documentElement.classList.contains("dark"));

  turn() {
    this.dark = !this.dark;
    document.documentElement.classList.toggle("dark", this.dark);
    keep("klammer-theme", this.dark ? "dark" : "light");
  }
  /** Makes the dock as high as that, within what leaves both it and the board to be seen. */
  drag(height: number, room: number) {
    this.folded = false;
    this.dock = Math.round(Math.min(Math.max(72, height), Math.max(72, room - 160)));
    keep("klammer-dock", String(this.dock));
    keep("klammer-dock-folded", "0");
  }
  /** As high as fits again. */
  fit() {
    this.dock = 0;
    keep("klammer-dock", "0");
  }
  fold() {
    this.folded = !this.folded;
    keep("klammer-dock-folded", this.folded ? "1" : "0");
  }
}

function kept(key: string) {
  try {
    return localStorage.getItem(key);
  } catch {
    return null;
  }
}

function keep(key: string, value: string) {
  try {
    localStorage.setItem(key, value);
  } catch {
    /* no storage: for this page only */
  }
}

export const panels = new Panels();
