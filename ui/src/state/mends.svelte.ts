import { api, type Change, type Finding } from "../api/client";
import { office } from "./office.svelte";

/** As many findings' mends are asked for at once. */
const most = 60;

/** Ways out of findings, tried by the server when somebody looks at them, and known until an edit touches them. */
class Mends {
  private known = $state.raw(new Map<string, string[][]>());
  private asked = new Set<string>();
  private next: string[] = [];
  private of_ = 0;

  constructor() {
    office.onmerge = (change) => this.drop(change);
  }

  /** Those of a finding, as far as they are known: what is not yet is asked for. */
  of(f: Finding): string[][] {
    if (office.then) return [];
    this.begin();
    const mends = this.known.get(f.id);
    if (!mends && !this.asked.has(f.id)) {
      this.asked.add(f.id);
      this.next.push(f.id);
      if (this.next.length === 1) queueMicrotask(() => void this.ask()); // a page of findings is one request
    }
    return mends ?? [];
  }

  /** Those of a finding, waited for. */
  async get(f: Finding): Promise<string[][]> {
    if (office.then) return [];
    this.begin();
    if (!this.known.has(f.id)) {
      this.next.push(f.id);
      await this.ask();
    }
    return this.known.get(f.id) ?? [];
  }

  /** Another office has other findings. */
  private begin() {
    const id = office.view?.id ?? 0;
    if (this.of_ === id) return;
    this.of_ = id;
    this.asked.clear();
    queueMicrotask(() => (this.known = new Map()));
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
        for (const a of answers) known.set(a.finding, a.mends);
        this.known = known;
      } catch {
        for (const f of now) this.asked.delete(f); // the next look asks again
      }
    }
  }

  private drop(change: Change) {
    const gone = [...(change.gone ?? []), ...(change.stale ?? []), ...change.findings.map((f) => f.id)];
    for (const id of gone) this.asked.delete(id);
    if (!gone.some((id) => this.known.has(id))) return;
    const known = new Map(this.known);
    for (const id of gone) known.delete(id);
    this.known = known;
  }
}

export const mends = new Mends();
