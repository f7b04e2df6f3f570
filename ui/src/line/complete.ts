import type { Office } from "../api/client";
import { flavours, forwardings, inDevice, kinds, limits, statements, verbs, wordings, bundleModes, habits } from "../api/words";
import { quote } from "./quote";

/** What could stand where the caret is. */
export interface Completion {
  /** Where the word that is completed starts. */
  from: number;
  options: string[];
}

/** Words of the line that go somewhere and change nothing. */
const going = ["go", "walk", "reach"];

/**
 * What fits where the caret is: the words before it on the line say whether a
 * device, a port, a VLAN, a use or a word of the notation is wanted.
 */
export function complete(
  text: string,
  caret: number,
  office: Pick<Office, "devices" | "vlans" | "uses" | "plans"> & Partial<Pick<Office, "services">>,
): Completion {
  const none = { from: caret, options: [] };
  const before = text.slice(0, caret);
  if ((before.match(/"/g)?.length ?? 0) % 2) return none; // inside a name in quotes
  const start = Math.max(before.lastIndexOf(";") + 1, 0);
  const line = before.slice(start).trimStart();
  const word = /[^\s,[\]:+]*$/.exec(line)![0];
  const from = caret - word.length;
  const said = line
    .slice(0, line.length - word.length)
    .trim()
    .split(/\s+/)
    .filter(Boolean);
  const devices = office.devices.map((d) => d.name);
  const vlans = office.vlans.filter((v) => v.registered).flatMap((v) => [String(v.vid), v.name]);
  const uses = office.uses.map((u) => u.name);
  const plans = office.plans.map((p) => p.name);
  const pick = (all: readonly string[]): Completion => {
    const fit = all.filter((o) => (o.startsWith(word) || o.replaceAll('"', "").startsWith(word)) && o !== word);
    return { from, options: fit.slice(0, 12) };
  };
  const ports = (): Completion => {
    const dot = word.indexOf(".");
    if (dot < 0) return pick(devices.map((d) => d + "."));
    const d = office.devices.find((d) => d.name === word.slice(0, dot));
    return pick(
      (d?.ports ?? []).filter((p) => !p.bundle).map((p) => `${d!.name}.${/^[\w.-]+$/.test(p.name) ? p.name : JSON.stringify(p.name)}`),
    );
  };
  const first = said[0]?.replace(/^-/, "");
  if (!first)
    return word.startsWith("-")
      ? pick([...statements.filter((s) => s !== "office"), ...devices].map((s) => "-" + s))
      : pick([...devices, ...new Set([...statements, ...verbs, ...going])]);
  const n = said.length;
  const sides = () =>
    pick(["to", "any", "outside", "zone", ...vlans, "ping", "tcp/", "udp/", ...(office.services ?? []).map((s) => s.name)]);
  if (devices.includes(first) && (said[1] === "allow" || said[1] === "deny")) return sides();
  switch (first) {
    case "allow":
    case "deny":
    case "must":
    case "never":
      return sides();
    case "talks":
      return n === 2 ? pick(["like"]) : pick(vlans);
    case "cable":
      return n <= 2 ? ports() : none;
    case "plug":
      return n === 1 ? ports() : said.at(-1) === "wants" ? pick(vlans) : n > 2 ? pick(["wants", "tagged", "operator"]) : none;
    case "bring":
    case "withdraw":
      if (n === 1) return pick(vlans);
      return said.at(-1) === "to" || said.at(-1) === "from"
        ? ports()
        : n === 2
          ? pick([first === "bring" ? "to" : "from"])
          : pick(["tagged"]);
    case "renumber":
      return n === 1 ? pick(vlans) : n === 2 ? pick(["to"]) : n === 4 ? pick(["with subnets"]) : none;
    case "retire":
    case "reach":
      return n === 1 ? pick(vlans) : none;
    case "go":
      return word.includes(".") ? ports() : pick([...devices, ...vlans]);
    case "walk":
      return n === 1 ? ports() : pick(["untagged", "priority", ...vlans]);
    case "rename":
      if (n === 1) return pick(["device", "vlan", "use", "plan"]);
      return n === 2 ? pick({ device: devices, vlan: vlans, use: uses, plan: plans }[said[1]!] ?? []) : n === 3 ? pick(["to"]) : none;
    case "copy":
      return n === 1 ? pick(devices) : n === 2 ? pick(["to"]) : none;
    case "follow":
      return n === 1 ? pick(devices) : n === 2 ? pick(plans) : none;
    case "device":
      if (said[0]!.startsWith("-")) return pick(devices);
      return n === 2 ? pick(kinds) : said.at(-1) === "follows" ? pick(plans) : n === 3 ? pick(["follows"]) : none;
    case "use":
      return n === 1 ? pick(uses) : pick(vlans);
    case "plan":
      return n === 1 ? pick(plans) : said.at(-1) === "from" ? pick(devices) : n === 2 ? pick(["from"]) : none;
    case "vlan":
      return n === 1 ? pick(vlans) : n > 2 ? pick(["net", "local"]) : none;
  }
  const d = office.devices.find((x) => x.name === first);
  if (!d) return none;
  if (line.includes(":")) {
    if (said.at(-1) === "use") return pick(uses);
    return pick([...(/:\s*$/.test(line.slice(0, line.length - word.length)) ? ["use", "off"] : []), ...vlans, "all", "needed", "because"]);
  }
  if (n > 1 && (inDevice as readonly string[]).includes(said[1]!)) {
    if (said[1] === "follows") return pick(plans);
    if (said[1] === "wording") return pick(n === 2 ? wordings : habits);
    if (said[1] === "forwarding") return pick(forwardings);
    if (said[1] === "limit") return pick(limits);
    if (said[1] === "bundle") return n === 3 ? pick(bundleModes) : none;
    if (said[1] === "inner") return n === 3 ? pick(flavours) : none;
    return said[1] === "address" || said[1] === "manage" ? pick(vlans) : none;
  }
  return n === 1 ? pick([...d.ports.filter((p) => !p.bundle).map((p) => quote(p.name)), ...inDevice]) : none;
}

/** The text with an option put in where the word stands; a port or a stem goes on without a space. */
export function accept(text: string, caret: number, c: Completion, option: string): { text: string; caret: number } {
  const space = option.endsWith(".") || text[caret] === " " ? "" : " ";
  const put = text.slice(0, c.from) + option + space;
  return { text: put + text.slice(caret), caret: put.length };
}
