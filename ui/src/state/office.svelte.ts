import { api, listen, Refused, type EditBody, type Office } from "../api/client";

export type Keeping = "kept" | "saving" | "lost" | "refused";

export interface Notice {
  text: string;
  kind: "problem" | "said";
}

/** The old objects where the new ones say the same, so that only what changed is drawn again. */
function keep<T>(old: T[], now: T[]): T[] {
  const known = new Map(old.map((x) => [JSON.stringify(x), x]));
  return now.map((x) => known.get(JSON.stringify(x)) ?? x);
}

/** The office on the screen: what the server has, and whether we are in touch. */
class OfficeState {
  view = $state.raw<Office | null>(null);
  keeping = $state<Keeping>("kept");
  notice = $state<Notice | null>(null);
  me = $state("");
  askName = $state(false);
  empty = $state(false);
  /** Own edits that can be taken back, and takings-back that can be redone. */
  undoable = $state.raw<number[]>([]);
  redoable = $state.raw<number[]>([]);
  private queue: Promise<unknown> = Promise.resolve();
  private waiting: (() => void) | null = null;
  private close: (() => void) | null = null;

  /** Starts, and keeps trying while the server is not there. */
  async start() {
    for (;;) {
      try {
        this.me = (await api.me()).name;
        const first = (await api.offices())[0];
        this.empty = !first;
        if (first) {
          await this.load(first.id);
          this.keeping = "kept";
          this.notice = null;
          break;
        }
      } catch (e) {
        this.keeping = "lost";
        this.tell(e);
      }
      await new Promise((r) => setTimeout(r, 1000));
    }
    this.askName = this.me === "";
    const id = this.view!.id;
    this.close = listen(id, {
      edit: (v) => this.take(v),
      at: (revision) => {
        if (this.keeping === "lost") {
          this.keeping = "kept";
          this.notice = null;
        }
        if (this.view && revision !== this.view.revision) void this.load(id).catch((e) => this.tell(e));
      },
      lost: () => {
        this.keeping = "lost";
      },
    });
  }

  stop() {
    this.close?.();
  }

  private async load(id: number) {
    this.view = await api.office(id);
    const mine = (await api.history(id)).filter((h) => h.author === this.me && h.revision > 1);
    this.undoable = mine.filter((h) => !h.undoes && !h.undoneBy).map((h) => h.revision).reverse();
    this.redoable = mine.filter((h) => h.undoes && !h.undoneBy && !h.summary.startsWith("redo: ")).map((h) => h.revision).reverse();
  }

  /** Takes what the server says after an edit; older news is no news. */
  private take(v: Office) {
    const old = this.view;
    if (!old || v.revision <= old.revision) return;
    if (v.whole) {
      this.view = v;
      return;
    }
    if (v.revision !== old.revision + 1) {
      void this.load(old.id).catch((e) => this.tell(e));
      return;
    }
    const changed = new Map(v.devices.map((d) => [d.name, d]));
    this.view = {
      ...v,
      devices: old.devices.map((d) => changed.get(d.name) ?? d),
      vlans: keep(old.vlans, v.vlans),
      links: keep(old.links, v.links),
      findings: keep(old.findings, v.findings),
    };
    if (v.author && v.author !== this.me) this.notice = { kind: "said", text: `${v.author}: ${v.summary}` };
  }

  tell(e: unknown) {
    const text = e instanceof Error ? e.message : String(e);
    if (e instanceof Refused && e.status === 401) this.askName = true;
    this.notice = { kind: "problem", text };
  }

  /** Sends one thing after the other, so that each is on what the last left. */
  private send(call: (view: Office) => Promise<Office>): Promise<Office | null> {
    const run = async () => {
      if (!this.view) return null;
      // An edit that is kept at once is not announced: the header would flicker.
      const slow = setTimeout(() => (this.keeping = "saving"), 150);
      try {
        const v = await call(this.view);
        this.take(v);
        this.keeping = "kept";
        if (this.notice?.kind === "problem") this.notice = null;
        return v;
      } catch (e) {
        const gone = e instanceof Refused && (e.status === 0 || e.status === 503);
        this.keeping = gone ? "lost" : "refused";
        this.tell(e);
        if (e instanceof Refused && e.status === 503) this.knock();
        return null;
      } finally {
        clearTimeout(slow);
      }
    };
    const next = this.queue.then(run, run);
    this.queue = next;
    return next;
  }

  /** Asks after the database until it is back. */
  private knock() {
    if (this.waiting) return;
    const timer = setInterval(async () => {
      try {
        await api.office(this.view!.id);
        const h = await fetch("/api/health");
        if (!h.ok) return;
        this.waiting?.();
        this.keeping = "kept";
        this.notice = { kind: "said", text: "The database is back." };
      } catch {
        /* not yet */
      }
    }, 700);
    this.waiting = () => {
      clearInterval(timer);
      this.waiting = null;
    };
  }

  async edit(body: Omit<EditBody, "base">) {
    const before = this.view?.revision;
    const v = await this.send((view) => api.edit(view.id, { ...body, base: view.revision }));
    if (v && v.revision !== before) {
      this.undoable = [...this.undoable, v.revision];
      this.redoable = [];
    }
    return v;
  }

  undo() {
    return this.turn(
      () => this.undoable,
      (done, made) => {
        this.undoable = this.undoable.filter((r) => r !== done);
        this.redoable = [...this.redoable, made];
      },
    );
  }

  redo() {
    return this.turn(
      () => this.redoable,
      (done, made) => {
        this.redoable = this.redoable.filter((r) => r !== done);
        this.undoable = [...this.undoable, made];
      },
    );
  }

  /** Takes back the last of a list, as it is when its turn has come. */
  private turn(list: () => number[], after: (done: number, made: number) => void) {
    return this.send(async (view) => {
      const last = list().at(-1);
      if (last === undefined) return view;
      const v = await api.undo(view.id, last);
      after(last, v.revision);
      return v;
    });
  }

  async sayName(name: string) {
    this.me = (await api.sayName(name)).name;
    this.askName = false;
    if (this.view) await this.load(this.view.id);
  }
}

export const office = new OfficeState();
