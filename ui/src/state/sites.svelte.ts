import { office } from "./office.svelte";
import { siteOf, sitesOf } from "./site";

/** Which site's devices are looked at: on the board, in the list of ports, on the poster and the round alike. */
class Sites {
  private said = $state("all");
  list = $derived(sitesOf(office.shown?.devices ?? []));
  /** The site, "" for devices that stand at none, "all" for all. */
  chosen = $derived(this.list.includes(this.said) ? this.said : "all");
  private away = $derived(
    this.chosen === "all" ? null : new Set((office.shown?.devices ?? []).filter((d) => siteOf(d) !== this.chosen).map((d) => d.name)),
  );

  choose(site: string) {
    this.said = site;
  }
  /** Where a device stands, as it was said; "" where it was not. */
  where = (device: string) => office.shown?.devices.find((d) => d.name === device)?.facts?.place ?? "";
  /** Whether a device is looked at, by its name. */
  has = (device: string) => !this.away?.has(device);
}

export const sites = new Sites();
