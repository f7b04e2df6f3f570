import type { Change, Device, Finding, Office } from "../api/client";

/** The office after an edit, from what the server told of it: what it does not name is the old object, so that only what changed is drawn again. */
export function merge(old: Office, change: Change): Office {
  const devices = new Map(change.devices.map((d) => [d.name, d]));
  const links = new Map(change.links.map((l) => [`${l.a} ${l.b}`, l]));
  return {
    ...old,
    title: change.title,
    revision: change.revision,
    order: change.order,
    more: change.more,
    unlisted: change.unlisted,
    devices: devices.size ? old.devices.map((d) => (devices.has(d.name) ? device(d, devices.get(d.name)!) : d)) : old.devices,
    links: links.size ? old.links.map((l) => links.get(`${l.a} ${l.b}`) ?? l) : old.links,
    vlans: rows(old, change),
    findings: findings(old.findings, change),
    uses: change.uses ?? old.uses,
    plans: change.plans ?? old.plans,
    services: change.services ?? old.services,
    wishes: change.wishes ?? old.wishes,
    found: found(old, change),
  };
}

function device(old: Device, now: Device): Device {
  if (!now.some) return now;
  const ports = new Map(now.ports.map((p) => [p.name, p]));
  return {
    ...now,
    some: false,
    sameRules: false,
    rules: now.sameRules ? old.rules : now.rules,
    ports: ports.size ? old.ports.map((p) => ports.get(p.name) ?? p) : old.ports,
  };
}

function rows(old: Office, change: Change): Office["vlans"] {
  if (!change.vlans.length && !change.goneVlans?.length) return old.vlans;
  const now = new Map(old.vlans.map((v) => [v.vid, v]));
  for (const vid of change.goneVlans ?? []) now.delete(vid);
  for (const v of change.vlans) now.set(v.vid, v);
  return [...now.values()].sort((a, b) => a.vid - b.vid);
}

function findings(old: Finding[], change: Change): Finding[] {
  if (!change.findings.length && !change.gone?.length) return old;
  const gone = new Set([...(change.gone ?? []), ...change.findings.map((f) => f.id)]);
  const list = old.filter((f) => !gone.has(f.id));
  // Each names the one that it comes after; they come in the order of the list.
  for (const f of change.findings) list.splice(f.after ? list.findIndex((g) => g.id === f.after) + 1 : 0, 0, f);
  return list;
}

function found(old: Office, change: Change): Office["found"] {
  if (!change.found) return old.found;
  const named = new Set(change.found.devices);
  const others = Object.entries(old.found?.ports ?? {}).filter(([port]) => !named.has(port.slice(0, port.indexOf("."))));
  return {
    devices: [...new Set([...(old.found?.devices ?? []), ...named])],
    ports: { ...Object.fromEntries(others), ...change.found.ports },
    routing: { ...Object.fromEntries(Object.entries(old.found?.routing ?? {}).filter(([d]) => !named.has(d))), ...change.found.routing },
  };
}
