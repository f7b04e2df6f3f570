/** How a device asks for memberships, as people say it: by VLAN, by sub-interface. */
export function asks(wording: string | undefined): string {
  return (wording?.split(" ")[0] ?? "")
    .replaceAll("-", " ")
    .replace("vlan", "VLAN")
    .replace("sub interface", "sub-interface")
    .replace("linux", "by Linux’s own commands");
}
