/** A statement of the notation in words, for who does not read it: what would be done, and to what. */
export function says(line: string): string {
  const name = (s: string) => s.replace(/^(\S+)\.(.+)$/, "$1 $2");
  let m: RegExpMatchArray | null;
  if ((m = line.match(/^-vlan (\S+)$/))) return `take VLAN ${m[1]} off the register`;
  if ((m = line.match(/^-plug (\S+)/))) return `unplug what is in ${name(m[1]!)}`;
  if ((m = line.match(/^-cable (\S+) (\S+)/))) return `remove the cable from ${name(m[1]!)} to ${name(m[2]!)}`;
  if ((m = line.match(/^cable (\S+) (\S+)/))) return `lay a cable from ${name(m[1]!)} to ${name(m[2]!)}`;
  if ((m = line.match(/^-device (\S+)$/))) return `remove ${m[1]}`;
  if ((m = line.match(/^-(\S+) (wording|manage|limits?|follows)\b/))) return `take “${m[2]}” off ${m[1]}`;
  if ((m = line.match(/^-(\S+) (address|inner|bundle) (.+)$/))) return `take the ${m[2]} ${m[3]} off ${m[1]}`;
  if ((m = line.match(/^-(\S+) (\S+)$/))) return `${m[1]} ${m[2]} says nothing of its own any more: its port plan holds there again`;
  if ((m = line.match(/^(\S+) bundle (\S+) (\S+)/))) return `make the bundle ${m[2]} of ${m[1]} ${m[3]}`;
  if ((m = line.match(/^(\S+) (follows|manage|wording|address|limits)\b\s*(.*)$/))) return `${m[1]}: ${m[2]} ${m[3]}`;
  if ((m = line.match(/^(\S+) ([^:]+): use (.+)$/))) return `${m[1]} ${m[2]} is set as the plan's shape “${m[3]}”`;
  if ((m = line.match(/^(\S+) ([^:]+): (.+)$/))) return `set ${m[1]} ${m[2]} to ${shape(m[3]!)}`;
  return line;
}

/** A shape in words: 190 [110 120] is VLAN 190 untagged, and 110 and 120 tagged. */
function shape(s: string): string {
  if (s === "-") return "no VLAN at all";
  const because = s.match(/^(.*?)\s+because\s+(.*)$/);
  const text = because ? because[1]! : s;
  const plain = text.match(/^([\d+\-]*)\s*(?:\[([^\]]*)\])?\s*(.*)$/);
  if (!plain) return s;
  const parts: string[] = [];
  if (plain[1]) parts.push(`VLAN ${plain[1].replaceAll("+", ", ")} untagged`);
  if (plain[2] !== undefined) {
    const t = plain[2]
      .trim()
      .replace(/\bneeded\b/, "whatever VLANs are needed on its cable")
      .replace(/\ball\b/, "all VLANs of the register");
    parts.push(`${t || "nothing"} tagged`);
  }
  if (plain[3]) parts.push(plain[3]);
  return parts.join(", ") || s;
}
