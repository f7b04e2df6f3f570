/** How a device asks for memberships, as people say it: by VLAN, by sub-interface. */
export function asks(wording: string | undefined): string {
  return (wording?.split(" ")[0] ?? "")
    .replaceAll("-", " ")
    .replace("vlan", "VLAN")
    .replace("sub interface", "sub-interface")
    .replace("linux", "by Linux’s own commands");
}

const forwards: Record<string, string> = {
  bridge: "keeps VLANs apart",
  routed: "its ports are not bridged",
  unaware: "knows no VLANs, passes tags on",
  "unaware drops-tagged": "knows no VLANs, drops tagged frames",
  grouped: "each port sits in one group",
};

/** How a device forwards, as people say it. */
export const forwarded = (forwarding: string) => forwards[forwarding] ?? forwarding;
