import type { Device, Plan, Port, Shape } from "../api/client";

/** A port as a front draws it. */
export interface Jack {
  name: string;
  inside?: string;
  speed?: string;
  untagged: number[];
  tagged: number[];
  rest?: string;
  pvid: number;
  shape: string;
  use?: string;
  off?: boolean;
  bundle?: string;
  plugs?: string[];
  cabled?: string;
  mark?: "changed" | "exception";
  /** What is seen there: "up" or "down", and words. */
  link?: string;
  seen?: string[];
}

/** A device's front; members of a bundle show what the bundle is set to. */
export function jacks(d: Device): Jack[] {
  const by = new Map(d.ports.map((p) => [p.name, p]));
  return d.ports.filter((p) => p.kind === "physical").map((p) => jack(p, p.bundle ? (by.get(p.bundle) ?? p) : p));
}

function jack(p: Port, set: Port): Jack {
  return {
    name: p.name,
    inside: p.inside,
    speed: p.speed,
    untagged: set.untagged,
    tagged: set.tagged,
    pvid: set.pvid,
    shape: set.shape,
    use: set.use,
    off: set.off,
    bundle: p.bundle,
    plugs: p.plugs?.map((g) => g.name),
    cabled: set.cabled?.join(", "),
    mark: set.source === "exception" ? "exception" : undefined,
  };
}

/** A plan on a front of n ports: a later line wins, places from the end count back. */
export function planned(plan: Pick<Plan, "lines">, n: number): Jack[] {
  const out: Jack[] = [];
  for (let place = 1; place <= n; place++) {
    let shape: Shape | undefined;
    for (const l of plan.lines) {
      const covers = l.places.some((r) => {
        const [from, to] = r.map((k) => (k <= 0 ? k + n : k)) as [number, number];
        return from <= place && place <= to;
      });
      if (covers) shape = l.shape;
    }
    out.push({
      name: String(place),
      untagged: shape?.untagged ?? [],
      tagged: shape?.tagged ?? [],
      rest: shape?.rest,
      pvid: shape?.pvid ?? 0,
      shape: shape?.text ?? "-",
      use: shape?.use,
    });
  }
  return out;
}

/** The rows of a front as it is built: from eight ports on odd ones above, even ones below. */
export function twoRows<T>(ports: T[]): T[][] {
  if (ports.length < 8) return [ports];
  return [ports.filter((_, i) => i % 2 === 0), ports.filter((_, i) => i % 2 === 1)];
}
