import { views } from "../state/views";

/** The line's own words, which go somewhere and change nothing: each view by its name, and three that say where in it. */
const going = ["go", "offices", ...views];

/** Whether a text goes somewhere, or will when it is typed out. */
export const goes = (text: string) =>
  /^(go|reach|walk)(\s|$)/.test(text) || going.includes(text) || going.some((w) => text.length > 1 && w.startsWith(text));
