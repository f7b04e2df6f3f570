import type { PlugTest } from "../api/client";

/** A test's place in one word. */
export const key = (t: PlugTest) => (t.wire === null ? t.port : `${t.port} [${t.wire}]`);

/** A port as people say it. */
export const spaced = (port: string) => port.replace(".", " ");

/** What a laptop's frames wear. */
export const wears = (t: PlugTest) => (t.wire === null ? "untagged" : `tagged ${t.wire}`);

/** What answers, and what does not, by service, each in one phrase. */
export function answers(t: PlugTest): { ok: boolean; text: string }[] {
  const out: { ok: boolean; text: string }[] = [];
  for (const ok of [true, false]) {
    const by = new Map<string, string[]>();
    for (const r of t.reach) if (r.ok === ok) by.set(r.service, [...(by.get(r.service) ?? []), r.to]);
    for (const [service, to] of by)
      out.push({
        ok,
        text: `${to.join(", ")} ${to.length > 1 ? (ok ? "answer" : "do not answer") : ok ? "answers" : "does not answer"} ${service}`,
      });
  }
  return out;
}
