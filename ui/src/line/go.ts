import { office } from "../state/office.svelte";
import { place, views, type View } from "../state/place.svelte";
import { selection } from "../state/selection.svelte";
import { rows } from "../state/rows.svelte";

/** Goes where the line says (go rack.19, reach 130, walk rack.1 untagged, history): true where it said so. */
export function go(text: string): boolean {
  const [verb, ...rest] = text.split(/\s+/);
  const view = office.view;
  if (!view || view.devices.some((d) => d.name === verb)) return false;
  const vid = (s = "") => view.vlans.find((v) => String(v.vid) === s || v.name === s)?.vid;
  if (verb === "offices" && !rest.length) place.go("/offices");
  else if (verb === "reach" && rest.length === 1 && vid(rest[0])) place.view("reach", { vlan: vid(rest[0])! });
  else if (verb === "walk" && rest.length) {
    const wire =
      rest
        .slice(1)
        .join(" ")
        .replace(/^(to|as)\s+/, "") || "untagged";
    place.view("walk", { from: rest[0]!, wire: vid(wire) ?? wire });
  } else if (verb === "go" && rest.length) {
    place.view("board");
    const at = rest.join(" ");
    requestAnimationFrame(() => {
      if (view.devices.some((d) => d.name === at)) selection.goToDevice(at);
      else if (vid(at))
        selection.go(
          rows.list.findIndex((v) => v.vid === vid(at)),
          selection.cursor.column,
        );
      else selection.goTo(at.replaceAll('"', ""));
      document.getElementById("board")?.focus();
    });
  } else if (!rest.length && verb !== "plans" && (views as readonly string[]).includes(verb!)) place.view(verb as View);
  else return false;
  return true;
}
