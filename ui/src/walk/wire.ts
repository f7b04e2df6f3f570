/** What a frame wears, as people say it and as notation has it. */
export function wears(wire: number | null): string {
  if (wire === null) return "no tag";
  if (wire === 0) return "a priority tag";
  return `[${wire}]`;
}
