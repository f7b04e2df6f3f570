import type { PlugTest } from "../api/client";

/** A test's place in one word. */
export const key = (t: PlugTest) => (t.wire === null ? t.port : `${t.port} [${t.wire}]`);

/** A port as people say it. */
export const spaced = (port: string) => port.replace(".", " ");

/** What a laptop's frames wear. */
export const wears = (t: PlugTest) => (t.wire === null ? "untagged" : `tagged ${t.wire}`);

/** What a person with any laptop can try of a test: not what only one tells who asks in the VLAN itself. */
export const tryable = (t: PlugTest) => t.reach.map((r, i) => ({ ...r, i })).filter((r) => !r.routed);

/** What answers, and what does not, by service, each in one phrase. */
export function answers(t: PlugTest): { ok: boolean; text: string }[] {
  const out: { ok: boolean; text: string }[] = [];
  for (const ok of [true, false]) {
    const by = new Map<string, string[]>();
    for (const r of tryable(t)) if (r.ok === ok) by.set(r.service, [...(by.get(r.service) ?? []), r.to]);
    for (const [service, to] of by)
      out.push({
        ok,
        text: `${to.join(", ")} ${to.length > 1 ? (ok ? "answer" : "do not answer") : ok ? "answers" : "does not answer"} ${service}`,
      });
  }
  return out;
}

/** How something that was tried ended, in the words of the interface. */
export type Ended = "untold" | "answered" | "silent";
export const endings: { value: Ended; name: string }[] = [
  { value: "untold", name: "not tried" },
  { value: "answered", name: "answers" },
  { value: "silent", name: "does not answer" },
];

/** What of a test is not as planned, of what a person ticked. */
export const otherwise = (t: PlugTest, parts: Ended[]) =>
  t.reach.filter((r, i) => !r.routed && (parts[i] === "silent" ? r.ok : parts[i] === "answered" && !r.ok));

/** One way to test a tagged VLAN with the laptop or phone that one has. */
export const taggedAdvice = [
  "On Linux, klammer probe tags frames itself: as root, or with the right that the package gives it.",
  "On Windows, some drivers of network cards let a VLAN ID be set in their own properties; on macOS, System Settings > Network > Manage virtual interfaces makes one. Then the laptop is in that VLAN as at an untagged port.",
  "Where neither is to be had, prove the VLAN at an untagged port behind the same cable: the quick round goes to each device once in each of its VLANs.",
];
