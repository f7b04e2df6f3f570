import { colours } from "../board/hue";
import { office } from "./office.svelte";

/** Each VLAN's hue, the same in every view. */
class Hues {
  of = $derived(colours(office.shown?.vlans ?? []));
}

export const hues = new Hues();
