import { api, type Finding } from "../api/client";
import { office } from "./office.svelte";

/** Ways out of findings, tried by the server when somebody looks at them. */
class Mends {
  private known = $state.raw(new Map<string, string[][]>());
  private asked = new Set<string>();
  private of_ = "";

  /** Those of a finding, as far as they are known: what is not yet is asked for. */
  of(f: Finding): string[][] {
    if (office.then) return [];
    const key = this.key(f);
    const mends = this.known.get(key);
    if (!mends && !this.asked.has(key)) queueMicrotask(() => void this.get(f));
    return mends ?? [];
  }

  /** Those of a finding, waited for. */
  async get(f: Finding): Promise<string[][]> {
    const view = office.view;
    if (!view || office.then) return [];
    const now = `${view.id}/${view.revision}`;
    if (this.of_ !== now) {
      this.of_ = now;
      this.asked.clear();
      this.known = new Map();
    }
    const key = this.key(f);
    const mends = this.known.get(key);
    if (mends) return mends;
    this.asked.add(key);
    try {
      const answer = await api.mends(view.id, f.id);
      if (this.of_ === now) this.known = new Map(this.known).set(key, answer.mends);
      return answer.mends;
    } catch {
      return []; // it is gone, or the server is: the next look asks again
    }
  }

  private key = (f: Finding) => `${office.view?.revision} ${f.id}`;
}

export const mends = new Mends();
