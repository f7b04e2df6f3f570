import { api, type Readings } from "../api/client";
import { latest } from "../api/latest";
import { found } from "./found.svelte";
import { office } from "./office.svelte";

/** What is seen at a port, in a few words. */
export interface Sight {
  link: string;
  words: string[];
}

/** What devices told last of themselves and of what is around them. */
class Seen {
  now = $state.raw<Readings | null>(null);
  private newest = latest();
  private of = 0;

  /** By port, what is seen there. */
  ports = $derived.by(() => {
    const out = new Map<string, Sight>();
    const at = (ref: string) => {
      let s = out.get(ref);
      if (!s) out.set(ref, (s = { link: "", words: [] }));
      return s;
    };
    for (const d of this.now?.devices ?? []) {
      for (const p of d.told?.ports ?? []) {
        if (!p.link) continue;
        const s = at(`${d.device}.${p.port}`);
        s.link = p.link;
        if (p.link === "up" && p.mbps) s.words.push(p.mbps >= 1000 ? `${p.mbps / 1000} Gbit/s` : `${p.mbps} Mbit/s`);
      }
      for (const n of d.told?.neighbours ?? []) at(`${d.device}.${n.port}`).words.push(`hears ${n.device} ${n.remote_port}`);
    }
    for (const c of this.now?.cards ?? [])
      at(`${c.device}.${c.port}`).words.push(`${c.name ? `${c.name} (${c.mac})` : c.mac} in ${c.vid} since ${since(c.since)}`);
    return out;
  });

  /** Reads it again where it may be another. */
  async read() {
    const id = office.view?.id;
    if (!id) return;
    if (this.of !== id) this.now = null;
    this.of = id;
    try {
      this.now = await this.newest(api.readings(id));
    } catch (e) {
      office.tell(e);
    }
  }

  /** Follows what is heard, for as long as an effect lives. */
  follow() {
    void [office.view?.id, office.view?.revision, found.heard];
    void this.read();
  }
}

/** A time as people say it. */
export const since = (t: string) => new Date(t).toLocaleString(undefined, { dateStyle: "medium", timeStyle: "short" });

export const seen = new Seen();
