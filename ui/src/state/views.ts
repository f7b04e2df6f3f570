/** The views of an office, by the words of their addresses. */
export const views = [
  "board",
  "ports",
  "reach",
  "walk",
  "talk",
  "plans",
  "register",
  "devices",
  "field",
  "sheets",
  "orders",
  "round",
  "here",
  "poster",
  "history",
  "checkup",
  "handbook",
  "notices",
  "compare",
  "people",
] as const;
export type View = (typeof views)[number];
