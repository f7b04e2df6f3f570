/** A cable of a ring, from port to port. */
export type Edge = { a: string; b: string; from: string; to: string };

const device = (port: string) => port.slice(0, port.indexOf("."));

/** The devices of a ring in the order in which a frame meets them, and its cables; ports come in pairs. */
export function round(ports: string[]): { devices: string[]; edges: Edge[] } {
  const edges: Edge[] = [];
  for (let i = 0; i + 1 < ports.length; i += 2)
    edges.push({ a: ports[i]!, b: ports[i + 1]!, from: device(ports[i]!), to: device(ports[i + 1]!) });
  const devices: string[] = [];
  const left = [...edges];
  let at = edges[0]?.from;
  while (at !== undefined) {
    const here: string = at;
    if (!devices.includes(here)) devices.push(here);
    // Where nobody new is next, a cable that leads anywhere; then the next that is left.
    const fresh = left.findIndex((e) => (e.from === here && !devices.includes(e.to)) || (e.to === here && !devices.includes(e.from)));
    const next = fresh >= 0 ? fresh : left.findIndex((e) => e.from === here || e.to === here);
    const e = left.splice(Math.max(0, next), 1)[0];
    at = e && (next < 0 ? e.from : e.from === here ? e.to : e.from);
  }
  return { devices, edges };
}

export type Drawn = Edge & { path: string; mid: { x: number; y: number }; ends: { x: number; y: number; port: string }[] };

/** Places devices on an oval and bends cables between the same two apart. */
export function draw(ports: string[], width: number, height: number) {
  const { devices, edges } = round(ports);
  const cx = width / 2,
    cy = height / 2,
    rx = width / 2 - 56,
    ry = height / 2 - 18;
  // Two stand side by side; more begin at the left and go round.
  const nodes = devices.map((name, i) => {
    const t = Math.PI + (2 * Math.PI * i) / devices.length;
    return { name, x: cx + rx * Math.cos(t), y: cy + ry * Math.sin(t) };
  });
  const at = new Map(nodes.map((n) => [n.name, n]));
  const lines: Drawn[] = edges.map((e, i) => {
    const same = edges.filter((x) => (x.from === e.from && x.to === e.to) || (x.from === e.to && x.to === e.from));
    const p = at.get(e.from)!,
      q = at.get(e.to)!;
    if (p === q) {
      const up = p.y - 34 - 8 * same.indexOf(e);
      return {
        ...e,
        path: `M${p.x - 14} ${p.y}C${p.x - 40} ${up} ${p.x + 40} ${up} ${p.x + 14} ${p.y}`,
        mid: { x: p.x, y: up + 9 },
        ends: [
          { x: p.x - 26, y: p.y - 14, port: e.a },
          { x: p.x + 26, y: p.y - 14, port: e.b },
        ],
      };
    }
    const [dx, dy] = [q.x - p.x, q.y - p.y];
    const long = Math.hypot(dx, dy) || 1;
    // The same two ends always bend the same way, whichever of them comes first.
    const turn = (edges.findIndex((x) => x === same[0]) === i || same[0]!.from === e.from ? 1 : -1) as number;
    const bend = (same.indexOf(e) - (same.length - 1) / 2) * Math.min(52, (2 * height) / (same.length + 1)) * turn;
    const c = { x: (p.x + q.x) / 2 - (dy / long) * bend, y: (p.y + q.y) / 2 + (dx / long) * bend };
    const on = (t: number) => ({
      x: (1 - t) ** 2 * p.x + 2 * t * (1 - t) * c.x + t * t * q.x,
      y: (1 - t) ** 2 * p.y + 2 * t * (1 - t) * c.y + t * t * q.y,
    });
    const off = Math.min(0.32, 58 / long);
    return {
      ...e,
      path: `M${p.x} ${p.y}Q${c.x} ${c.y} ${q.x} ${q.y}`,
      mid: on(0.5),
      ends: [
        { ...on(off), port: e.a },
        { ...on(1 - off), port: e.b },
      ],
    };
  });
  return { nodes, lines };
}
