import { api, type Change, type Finding } from "../api/client";
import { office } from "./office.svelte";

/** As many findings' mends are asked for at once. */
const most = 60;

/** Ways out of findings, tried by the server when somebody looks at them, and known until an edit touches them. */
class Mends {
  private known = $state.raw(new Map<string, string[][]>());
  private asked = new Set<string>();
  private next: string[] = [];

  constructor() {
    office.onmerge = (change) => this.drop(change);
  }

  /** Two offices may have findings of the same name. */
  private key = (id: string) => `${office.view?.id} ${id}`;

  /** Those of a finding, as far as they are known: what is not yet is asked for. */
  of(f: Finding): string[][] {
    if (office.then) return [];
    const mends = this.known.get(this.key(f.id));
    if (!mends && !this.asked.has(this.key(f.id))) {
      this.asked.add(this.key(f.id));
      this.next.push(f.id);
      if (this.next.length === 1) queueMicrotask(() => void this.ask()); // a page of findings is one request
    }
    return mends ?? [];
  }

  /** Those of a finding, waited for. */
  async get(f: Finding): Promise<string[][]> {
    if (office.then) return [];
    if (!this.known.has(this.key(f.id))) {
      this.next.push(f.id);
      await this.ask();
    }
    return this.known.get(this.key(f.id)) ?? [];
  }

  private async ask() {
    const id = office.view?.id;
    const revision = office.view?.revision;
    while (id && this.next.length) {
      const now = this.next.splice(0, most);
      try {
        const answers = await api.mends(id, now);
        if (office.view?.id !== id || office.view.revision !== revision) throw new Error("the office has moved on");
        const known = new Map(this.known);
        for (const a of answers) known.set(this.key(a.finding), a.mends);
        this.known = known;
      } catch {
        for (const f of now) this.asked.delete(`${id} ${f}`); // the next look asks again
      }
    }
  }

  private drop(change: Change) {
    if (change.whole) {
      this.asked.clear();
      this.known = new Map();
      return;
    }
    const gone = [...(change.gone ?? []), ...(change.stale ?? []), ...change.findings.map((f) => f.id)].map(this.key);
    for (const key of gone) this.asked.delete(key);
    if (!gone.some((key) => this.known.has(key))) return;
    const known = new Map(this.known);
    for (const key of gone) known.delete(key);
    this.known = known;
  }
}

export const mends = new Mends();
