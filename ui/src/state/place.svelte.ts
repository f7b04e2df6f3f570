import { views, type View } from "./views";
export { views, type View };

export const titles: Record<View, string> = {
  board: "Board",
  ports: "Ports",
  reach: "Reach",
  walk: "Walk",
  talk: "Talk",
  plans: "Port plans",
  register: "Register",
  devices: "Devices",
  field: "Field",
  sheets: "Sheets",
  orders: "Orders",
  round: "Round",
  here: "Where am I?",
  poster: "Poster",
  history: "History",
  checkup: "Check-up",
  handbook: "Handbook",
  notices: "Notices",
  compare: "Compare",
  people: "People",
};

/** The groups in which the views stand, in the order of the work; a letter after g goes there. */
export const groups: { name: string; says: string; views: { view: View | "offices"; key: string }[] }[] = [
  {
    name: "Plan",
    says: "what should be",
    views: [
      { view: "board", key: "b" },
      { view: "ports", key: "l" },
      { view: "plans", key: "p" },
      { view: "register", key: "r" },
      { view: "devices", key: "d" },
    ],
  },
  {
    name: "Ask",
    says: "what frames do, and who may talk to whom",
    views: [
      { view: "reach", key: "e" },
      { view: "walk", key: "w" },
      { view: "talk", key: "k" },
    ],
  },
  {
    name: "Do",
    says: "enter it on the devices",
    views: [
      { view: "field", key: "f" },
      { view: "sheets", key: "s" },
      { view: "orders", key: "x" },
      { view: "round", key: "u" },
      { view: "poster", key: "t" },
    ],
  },
  {
    name: "Keep",
    says: "what was, other offices, people",
    views: [
      { view: "history", key: "h" },
      { view: "checkup", key: "c" },
      { view: "handbook", key: "n" },
      { view: "notices", key: "m" },
      { view: "offices", key: "o" },
      { view: "people", key: "y" },
    ],
  },
];

interface Address {
  /** The office's number, 0 for the list of offices, -1 for wherever one was last, -2 for the door of those who are invited. */
  office: number;
  view: View;
  query: URLSearchParams;
}

/** Reads /1/reach?vlan=130; what is no such address is the start. */
export function parse(path: string, search: string): Address {
  const query = new URLSearchParams(search);
  const [first, second] = path.split("/").filter(Boolean);
  if (first === "join") return { office: -2, view: "board", query };
  if (first === "people") return { office: 0, view: "people", query };
  if (first === "offices") return { office: 0, view: "board", query };
  const office = Number(first);
  if (!Number.isInteger(office) || office < 1) return { office: -1, view: "board", query };
  const view = views.find((v) => v === second) ?? "board";
  return { office, view, query };
}

/** Which office and view is shown: the browser's address, and back to it. */
class PlaceState {
  now = $state.raw(parse(location.pathname, location.search));

  constructor() {
    addEventListener("popstate", () => (this.now = parse(location.pathname, location.search)));
  }

  href(view: View, query: Record<string, string | number> = {}) {
    const q = new URLSearchParams(Object.entries(query).map(([k, v]) => [k, String(v)])).toString();
    return `/${this.now.office}${view === "board" ? "" : `/${view}`}${q ? `?${q}` : ""}`;
  }

  go(href: string, replace = false) {
    const url = new URL(href, location.href);
    history[replace ? "replaceState" : "pushState"](null, "", url);
    this.now = parse(url.pathname, url.search);
  }

  /** Goes to a view of this office, or to the list of offices. */
  open(view: View | "offices") {
    if (view === "offices") this.go("/offices");
    else this.view(view);
  }

  view(view: View, query: Record<string, string | number> = {}) {
    this.go(this.href(view, query));
  }

  /** A click on a link inside the page goes there without loading it anew. */
  follow = (e: MouseEvent) => {
    const a = (e.target as Element).closest?.("a");
    if (!a || a.target || a.hasAttribute("download") || a.origin !== location.origin || e.ctrlKey || e.metaKey || e.shiftKey || e.button)
      return;
    e.preventDefault();
    this.go(a.href);
  };
}

export const place = new PlaceState();
