/** What the three questions say about a new office. */
export interface Start {
  title: string;
  /** A VLAN a line: number, name, and "local" where no gateway is meant. */
  vlans: string;
  /** The subnets' pattern, in which VID stands for the number; "" for none. */
  pattern: string;
  /** The gateway: its name and what it is; "" for none yet. */
  gateway: string;
  gatewayIs: string;
  /** The port of the gateway that carries the VLANs. */
  on: string;
  first: string;
  firstIs: string;
}

export const usual: Start = {
  title: "",
  vlans: "10 staff\n20 phones\n30 guests\n90 devices",
  pattern: "10.0.VID.0/24",
  gateway: "gate",
  gatewayIs: "firewall, ports wan, ports lan1-lan4",
  on: "lan1",
  first: "rack",
  firstIs: "switch, 24 ports, by VLAN",
};

/** One line of the list of VLANs. What the name is taken as is the core's to say. */
const entry = /^\s*(\d+)\s+(\S.*?)(\s+local)?\s*$/;

/** What is wrong with the list of VLANs, by line; "" where it can be read. */
export function check(vlans: string): string {
  const seen = new Set<string>();
  return vlans
    .split("\n")
    .map((line, i) => {
      if (!line.trim()) return "";
      const m = entry.exec(line);
      if (!m) return `line ${i + 1}: write a number and a name, such as 110 reception`;
      if (Number(m[1]) < 1 || Number(m[1]) > 4094) return `line ${i + 1}: a VID is a whole number from 1 to 4094`;
      if (seen.has(m[1]!) || seen.has(m[2]!)) return `line ${i + 1}: ${seen.has(m[1]!) ? m[1] : m[2]} is there already`;
      seen.add(m[1]!).add(m[2]!);
      return "";
    })
    .filter(Boolean)
    .join("\n");
}

/** The register as a text, and the lines that follow it: the gateway with an address in each, first switch, the cable between. */
export function statements(s: Start): { text: string; lines: string[] } {
  const vlans = s.vlans.split("\n").flatMap((l) => {
    const m = entry.exec(l);
    return m ? [{ vid: Number(m[1]), name: m[2]!.toLowerCase(), local: !!m[3] }] : [];
  });
  const subnet = (vid: number) =>
    vid < 256 || s.pattern.includes(":")
      ? s.pattern.replace("VID", String(vid))
      : s.pattern.replace("VID", `${Math.floor(vid / 100)}.${vid % 100}`).replace(/^(\d+)\.\d+\.(\d+\.\d+)\./, "$1.$2.");
  const nets = s.pattern.includes("VID") ? vlans.filter((v) => !v.local && v.vid !== 1) : [];
  const register = [`office ${JSON.stringify(s.title.trim())}`];
  for (const v of vlans)
    register.push(
      `vlan ${v.vid} ${/^[a-z0-9-]+$/.test(v.name) ? v.name : JSON.stringify(v.name)}${nets.includes(v) ? ` net ${subnet(v.vid)}` : ""}${v.local ? " local" : ""}`,
    );
  const lines: string[] = [];
  const manage = vlans.find((v) => /^(devices|management|mgmt|admin)$/.test(v.name));
  if (s.gateway.trim() && s.gatewayIs.trim()) {
    lines.push(`add ${s.gateway.trim()} ${s.gatewayIs.trim()}`);
    const tagged = vlans.filter((v) => !v.local && v !== manage).map((v) => v.vid);
    if (tagged.length) lines.push(`${s.gateway} ${s.on}: ${manage ? `${manage.vid} ` : ""}[needed]`);
    for (const v of nets) lines.push(`${s.gateway} address ${v.vid} ${subnet(v.vid).replace(/0\/(\d+)$/, "1/$1")} on ${s.on}`);
    const wan = /\bports?\s+(wan\d*)\b/.exec(s.gatewayIs)?.[1];
    if (wan && nets.length) lines.push(`${s.gateway} outside internet on ${wan}`);
  }
  if (s.first.trim() && s.firstIs.trim()) {
    lines.push(`add ${s.first.trim()} ${s.firstIs.trim()}`);
    if (s.gateway.trim()) {
      lines.push(`${s.first} last: ${manage ? `${manage.vid} ` : ""}[needed]`);
      lines.push(`cable ${s.gateway}.${s.on} ${s.first}.last`);
    }
    if (manage) lines.push(`${s.first} manage ${manage.vid}`);
  }
  return { text: register.join("\n") + "\n", lines };
}
