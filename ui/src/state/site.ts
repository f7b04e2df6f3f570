import type { Device } from "../api/client";

/** The site that a device stands at: the first word of its place, as harbour in harbour/server room; "" where that is not said. */
export const siteOf = (d: Pick<Device, "facts">) => (d.facts?.place ?? "").split("/")[0]!.trim();

/** The sites of some devices, and "" where some stand at none; none where all stand at one. */
export function sitesOf(devices: Pick<Device, "facts">[]): string[] {
  const all = [...new Set(devices.map(siteOf))].sort((a, b) => Number(!a) - Number(!b) || a.localeCompare(b));
  return all.filter(Boolean).length > 1 ? all : [];
}
