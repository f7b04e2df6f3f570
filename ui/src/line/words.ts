/** The line's own words, which go somewhere and change nothing. */
const going = /^(go|reach|walk)(\s|$)|^(offices|board|register|devices|sheets|poster|history|talk)$/;

/** Whether a text goes somewhere, or will when it is typed out. */
export const goes = (text: string) =>
  going.test(text) ||
  ["go", "reach", "walk", "offices", "board", "register", "devices", "sheets", "poster", "history", "talk"].some(
    (w) => text.length > 1 && w.startsWith(text),
  );
