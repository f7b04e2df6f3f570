import { finds } from "./find";
import { office } from "../state/office.svelte";
import { place, views, type View } from "../state/place.svelte";
import { selection } from "../state/selection.svelte";
import { rows } from "../state/rows.svelte";

/**
 * Goes where the line says (go rack.19, reach 130, walk rack.1 untagged, history): true where it said so, a sentence where there is no
 * such place.
 */
export function go(text: string): boolean | string {
  const [verb, ...rest] = text.split(/\s+/);
  const view = office.view;
  if (!view || view.devices.some((d) => d.name === verb)) return false;
  const vid = (s = "") => view.vlans.find((v) => String(v.vid) === s || v.name === s)?.vid;
  const port = (s: string) => view.devices.some((d) => d.ports.some((p) => `${d.name}.${p.name}` === s));
  const plain = (s: string) => s.replaceAll('"', "");
  if (verb === "offices" && !rest.length) place.go("/offices");
  else if (verb === "reach" && rest.length) {
    if (!vid(rest.join(" "))) return `there is no VLAN ${rest.join(" ")}: say a number or a name of the register, as in reach 130`;
    place.view("reach", { vlan: vid(rest.join(" "))! });
  } else if (verb === "walk" && rest.length) {
    const wire =
      rest
        .slice(1)
        .join(" ")
        .replace(/^(to|as)\s+/, "") || "untagged";
    place.view("walk", { from: rest[0]!, wire: vid(wire) ?? wire });
  } else if (verb === "go" && rest.length) {
    const at = rest.join(" ");
    const known = (at: string) => view.devices.some((d) => d.name === at) || !!vid(at) || port(plain(at));
    const there = known(at) ? at : finds(at, view)[0]?.at;
    if (!there)
      return `${at} is no device, port or VLAN of this office, and nothing in it is called so: as in go rack, go rack.19, go 130, go A-12`;
    place.view("board");
    requestAnimationFrame(() => {
      if (view.devices.some((d) => d.name === there)) selection.goToDevice(there);
      else if (vid(there))
        selection.go(
          rows.list.findIndex((v) => v.vid === vid(there)),
          selection.cursor.column,
        );
      else selection.goTo(plain(there));
      document.getElementById("board")?.focus();
    });
  } else if (!rest.length && (views as readonly string[]).includes(verb!)) place.view(verb as View);
  else return false;
  return true;
}
