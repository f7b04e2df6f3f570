import type { Column } from "./fold";

/** A run of a list: from is in it, to is not. */
export interface Run {
  from: number;
  to: number;
}

/** How many more columns are drawn than are seen, and by how many at once the window moves. */
export const columnStep = 16;
const rowStep = 4;

/** The columns that a window from left shows, with some on both sides. Columns ascend by x. */
export function seenColumns(columns: Column[], left: number, room: number): Run {
  let lo = 0;
  let hi = columns.length;
  while (lo < hi) {
    const mid = (lo + hi) >> 1;
    if (columns[mid]!.x + columns[mid]!.width < left) lo = mid + 1;
    else hi = mid;
  }
  let to = lo;
  while (to < columns.length && columns[to]!.x < left + room) to++;
  return widen(lo, to, columns.length, columnStep);
}

/** The rows that a window from top shows. */
export function seenRows(count: number, top: number, room: number, height: number): Run {
  return widen(Math.floor(top / height), Math.ceil((top + room) / height), count, rowStep);
}

/** Whole steps, so that a small move draws nothing new. */
function widen(from: number, to: number, count: number, step: number): Run {
  return {
    from: Math.max(0, Math.floor(from / step) * step - step),
    to: Math.min(count, Math.ceil(to / step) * step + step),
  };
}

/** Whether chunks have all that is seen of the columns from..to, which are some more on both sides. */
export function covers(chunks: { from: number; columns: unknown[] }[], run: Run, count: number): boolean {
  const [first, last] = [chunks[0], chunks.at(-1)];
  const from = run.from ? run.from + columnStep : 0;
  const to = run.to < count ? run.to - columnStep : count;
  return !!first && !!last && first.from <= from && to <= last.from + last.columns.length;
}
