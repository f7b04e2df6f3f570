import { keywords } from "../api/words";

/** Words that a list of ports could be read as. */
const words = new Set<string>([...keywords, "off", "use"]);

/** A port's name in a list of ports: quoted where it could be read as something else. */
export function quote(name: string): string {
  return /^[A-Za-z0-9][A-Za-z0-9_.]*$/.test(name) && !words.has(name) ? name : JSON.stringify(name);
}

/** device.port as notation has it. */
export function ref(port: string): string {
  const dot = port.indexOf(".");
  const name = port.slice(dot + 1);
  return `${port.slice(0, dot)}.${/^[A-Za-z0-9][A-Za-z0-9_.-]*$/.test(name) ? name : JSON.stringify(name)}`;
}

/** Ports of any devices set to one shape, as statements: one a device. */
export function setting(ports: string[], shape: string): string[] {
  const by = new Map<string, string[]>();
  for (const p of ports) {
    const dot = p.indexOf(".");
    const device = p.slice(0, dot);
    by.set(device, [...(by.get(device) ?? []), quote(p.slice(dot + 1))]);
  }
  return [...by].map(([device, names]) => `${device} ${names.join(",")}: ${shape}`);
}

/** Ports' names with runs of neighbouring numbers drawn together: 1–4, 7, lan2–lan3. */
export function runs(names: string[]): string[] {
  const out: { stem: string; from: number; to: number; text: string }[] = [];
  for (const name of names) {
    const m = /^(.*?)(\d+)$/.exec(name);
    const last = out.at(-1);
    if (m && last && last.stem === m[1] && last.to + 1 === Number(m[2])) last.to++;
    else out.push({ stem: m?.[1] ?? name, from: m ? Number(m[2]) : NaN, to: m ? Number(m[2]) : NaN, text: name });
  }
  return out.map((r) => (r.from < r.to ? `${r.text}–${r.stem}${r.to}` : r.text));
}
