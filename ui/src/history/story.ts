import type { Story } from "../api/client";

export type Row = Story["entries"][number] & { key: string };

/**
 * What happened, with the steps of an order that one person did at one device one after the
 * other as one row: nobody reads seventy of them.
 */
export function gathered(all: Story["entries"]): Row[] {
  const out: Row[] = [];
  let run = 0; // steps in the last row
  all.forEach((e, i) => {
    const last = out.at(-1);
    const plain = (x: Story["entries"][number]) => x.kind === "step" && !/^(Not done after all|Refused|No answer): /.test(x.text);
    if (last && plain(e) && plain(last) && last.device === e.device && last.who === e.who) {
      run++;
      last.text = `${run} steps done; the last: ${last.text.replace(/^\d+ steps done; the last: /, "")}`;
      return;
    }
    run = 1;
    out.push({ ...e, key: `${e.kind} ${e.revision ?? e.at} ${i}` });
  });
  return out;
}
