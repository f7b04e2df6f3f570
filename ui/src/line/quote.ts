const words = new Set("ports bundle bundles inner forwarding wording limit manage address follows last off use".split(" "));

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
