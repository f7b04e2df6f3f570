import type { OrderStep } from "../api/client";

/** Something that lasts from the step that begins it to the one that ends it. */
export interface Lasting {
  from: number;
  until: number;
  kind: "cut" | "leak" | "blind";
  lane: number;
  says: string;
}

/** What lasts over an order's steps, each in a lane of its own where several do at once. */
export function lasting(steps: OrderStep[], name: (vid: number) => string): Lasting[] {
  const all: Omit<Lasting, "lane">[] = [];
  steps.forEach((s, i) => {
    for (const x of s.interrupts) {
      all.push({ from: i, until: x.until, kind: "cut", says: `${name(x.vlan)}: ${x.ports.length} cut off until step ${x.until + 1}` });
    }
    for (const x of s.joins)
      all.push({ from: i, until: x.until, kind: "leak", says: `${x.vlans.map(name).join(" and ")} meet until step ${x.until + 1}` });
    for (const d of s.blind) {
      const back = steps.findIndex((t, k) => k > i && t.device === d);
      const until = back < 0 ? steps.length - 1 : back;
      all.push({ from: i, until, kind: "blind", says: `${d} is out of reach until step ${until + 1}` });
    }
  });
  const ends: number[] = [];
  return all.map((x) => {
    let lane = ends.findIndex((e) => e < x.from);
    if (lane < 0) lane = ends.length;
    ends[lane] = x.until;
    return { ...x, lane };
  });
}

/** How a lane looks at a step: begins there, goes on, ends there; nothing where it does not. */
export function piece(x: Lasting, step: number): "begin" | "on" | "end" | "" {
  if (step < x.from || step > x.until) return "";
  if (step === x.from) return "begin";
  return step === x.until ? "end" : "on";
}

/** How a visit is done: from where, in words. */
export function how(visit: { device: string; at: string; by: string }): string {
  const at = visit.at.endsWith(" console")
    ? `laptop at the console of ${visit.at.slice(0, -8)}`
    : `laptop in ${visit.at.replace(".", " ")}`;
  if (visit.by === "console") return "at its console";
  if (visit.by === "network") return `over the network, ${at}`;
  if (visit.at.startsWith(`${visit.device}.`)) return at;
  return visit.at ? `by hand, ${at}` : "by hand";
}

/** The first port that a step touches, by its lines; "" for none. */
export function touched(step: OrderStep): string {
  for (const line of step.lines) {
    const ends = /^-?(?:cable|plug) (\S+\.(?:"[^"]*"|\S+))/.exec(line);
    if (ends && step.kind !== "laptop") return ends[1]!.replace(/\."(.*)"$/, ".$1");
    const ports = /^-?(\S+) (?:"([^"]*)"|([^\s",:]+?))(?:-[^\s,:]+)?(?:,[^:]*)?:/.exec(line);
    if (ports && ports[1] === step.device) return `${ports[1]}.${ports[2] ?? ports[3]}`;
  }
  return "";
}
