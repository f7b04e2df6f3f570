/** What floats over the board. */
class Panels {
  keys = $state(false);
  /** Of the board, the least height in which it is seen whole; 0 unknown. */
  board = $state(0);
  dark = $state(document.documentElement.classList.contains("dark"));

  turn() {
    this.dark = !this.dark;
    document.documentElement.classList.toggle("dark", this.dark);
    try {
      localStorage.setItem("klammer-theme", this.dark ? "dark" : "light");
    } catch {
      /* no storage: for this page only */
    }
  }
}

export const panels = new Panels();
