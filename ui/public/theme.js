// Before the first paint, so that a dark screen does not flash white.
var chosen = null;
try {
  chosen = localStorage.getItem("klammer-theme");
} catch (e) {
  /* no storage: as the system says */
}
var dark = chosen ? chosen === "dark" : matchMedia("(prefers-color-scheme: dark)").matches;
document.documentElement.classList.toggle("dark", dark);
