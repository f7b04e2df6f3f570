import {
  api,
  browser,
  listen,
  Refused,
  whole,
  type Change,
  type Command,
  type Explanation,
  type HistoryEntry,
  type Look,
  type Office,
  type OfficeSummary,
} from "../api/client";
import { merge } from "./merge";
import { people } from "./people.svelte";
import { me } from "./me.svelte";
import { place } from "./place.svelte";

export type Keeping = "kept" | "saving" | "lost" | "refused";

export interface Notice {
  text: string;
  kind: "problem" | "said";
}

/** What an edit did, and whether it was made, taken back or done again. */
const turned = (v: Change) => (v.turn === "edit" || !v.turn ? v.summary : `${v.turn}: ${v.summary}`);

/** The office on the screen: what the server has, and whether we are in touch. */
class OfficeState {
  /** The office as it is. */
  view = $state.raw<Office | null>(null);
  /** The office as it was, while one looks at the past. */
  then = $state.raw<Office | null>(null);
  /** What is on the screen. */
  shown = $derived(this.then ?? this.view);
  offices = $state.raw<OfficeSummary[]>([]);
  keeping = $state<Keeping>("kept");
  /** Who made the last edit that is not one's own. */
  otherBy = "";
  /** The revision at which one began to type what is not kept yet; null where nothing is typed. */
  private typedFrom: number | null = null;
  /** How many fields were left a moment ago, and the revision at which one began to type in the next: keys may be sooner than a timer. */
  private leaving = 0;
  private typedSince: number | null = null;
  /** The revision of the last edit of one's own. */
  private ownLast = 0;

  /** Something is typed: what others change from now on was not before one's eyes as one began. */
  typing() {
    const now = this.view?.revision ?? null;
    this.typedFrom ??= now;
    if (this.leaving) this.typedSince ??= now;
  }

  /** A field is left: what was typed there is kept at once, or not at all. What is typed in the next one is of its own. */
  left() {
    this.leaving++;
    this.typedSince = null;
    setTimeout(() => {
      if (!--this.leaving) this.typedFrom = this.typedSince;
    });
  }

  /** Nothing is typed any more, or what others did was looked at. */
  typed() {
    this.typedFrom = null;
  }
  notice = $state<Notice | null>(null);
  me = $state("");
  askName = $state(false);
  /** Own edits that can be taken back, and takings-back that can be redone. */
  undoable = $state.raw<number[]>([]);
  redoable = $state.raw<number[]>([]);
  private queue: Promise<unknown> = Promise.resolve();
  private waiting: (() => void) | null = null;
  private close: (() => void) | null = null;
  private visit = 0;
  /** Whether what was refused last was in another's way. */
  private clashed = false;
  /** What is shown beside the board, to be told with an edit; nothing on other pages. */
  looking: (() => Look) | null = null;
  /** What an edit told of it, and of which revision. */
  looked: { revision: number; at: string; says: Explanation } | null = null;
  /** Called with what an edit of anybody's made otherwise, or with a whole office. */
  onmerge: ((change: Change) => void) | null = null;
  /** Called when something was found of a device. */
  onfound: (() => void) | null = null;
  /** Called with a port that was changed by taking something back, so that one sees it. */
  onturned: ((port: string) => void) | null = null;
  /** Whether what is shown is the office as found, not as it was. */
  asFound = $state(false);
  /** How many steps of the work order are done in what is shown; null where it is not that. */
  step = $state<number | null>(null);

  /** Opens the office that the address names, and keeps trying while the server is not there. */
  async open(id: number) {
    this.leave();
    const mine = ++this.visit;
    while (mine === this.visit && id !== -2) {
      try {
        const known = await me.find();
        this.me = me.now.name;
        if (!known) return; // he signs in first
        this.offices = await api.offices();
        this.askName = this.me === "";
        if (id < 0) {
          place.go(this.first(), true);
          return;
        }
        if (id > 0) await this.load(id);
        if (this.keeping === "lost") this.notice = null;
        this.keeping = "kept";
        break;
      } catch (e) {
        if (e instanceof Refused && e.status === 404) {
          this.notice = { kind: "problem", text: "There is no such office; here are those that there are." };
          place.go("/offices", true);
          return;
        }
        this.keeping = "lost";
        this.tell(e);
      }
      await new Promise((r) => setTimeout(r, 1000));
    }
    if (mine !== this.visit || id < 1) return;
    localStorage.setItem("klammer-office", String(id));
    if (!this.askName) people.join(id);
    this.close = listen(id, {
      edit: (v) => this.take(v),
      here: (who) => people.hear(who),
      found: () => void this.refound(id),
      order: () => void this.refound(id),
      read: () => void this.refound(id),
      at: (revision) => {
        if (this.keeping === "lost") {
          this.keeping = "kept";
          this.notice = null;
        }
        if (this.view && revision !== this.view.revision) void this.load(id).catch((e) => this.tell(e));
      },
      beat: (revision) => {
        if (this.view && revision > this.view.revision) void this.load(id).catch((e) => this.tell(e));
      },
      lost: () => {
        this.keeping = "lost";
        void this.still(id);
      },
    });
  }

  /** Reads where devices are set otherwise anew. */
  private async refound(id: number) {
    try {
      const found = await api.foundNow(id);
      if (this.view?.id === id) this.view = { ...this.view, found };
    } catch {
      /* a mark that is late is no loss */
    }
    this.onfound?.();
  }

  /** When the connection is gone the office may be: then there is nothing to wait for. */
  private async still(id: number) {
    try {
      await api.history(id);
    } catch (e) {
      if (e instanceof Refused && e.status === 401 && me.now.accounts) {
        // his session ended
        this.leave();
        me.out = true;
        return;
      }
      if (!(e instanceof Refused) || e.status !== 404 || this.view?.id !== id) return;
      const title = this.view.title;
      place.go("/offices", true);
      this.notice = { kind: "problem", text: me.now.accounts ? `${title} is not there for you any more.` : `${title} was deleted.` };
    }
  }

  /** Where to begin: the office that was open last, or the only one, or the list. */
  private first(): string {
    const last = Number(localStorage.getItem("klammer-office"));
    const there = this.offices.find((o) => o.id === last) ?? (this.offices.length === 1 ? this.offices[0] : undefined);
    return there ? `/${there.id}` : "/offices";
  }

  leave() {
    this.visit++;
    this.close?.();
    this.close = null;
    people.leave();
    this.view = null;
    this.then = null;
    this.asFound = false;
    this.step = null;
    this.undoable = this.redoable = [];
    this.ownLast = 0;
    this.typed();
  }

  /** Looks at the office as it was; null is now. */
  async look(revision: number | null) {
    if (!this.view) return;
    this.asFound = false;
    this.step = null;
    this.then = revision === null || revision === this.view.revision ? null : await api.then(this.view.id, revision);
  }

  /** Looks at the office as its devices were found to be set. */
  async lookFound() {
    if (!this.view) return;
    const v = await api.foundView(this.view.id);
    this.then = v;
    this.asFound = true;
    this.step = null;
  }

  /** Looks at the office as it is when some steps of the work order are done. */
  async lookStep(step: number) {
    if (!this.view) return;
    const v = await api.orderAt(this.view.id, step);
    this.then = v;
    this.asFound = true;
    this.step = step;
  }

  async restore(revision: number) {
    const then = this.then;
    this.then = null; // restoring is an edit of now
    const v = await this.send((view) => api.restore(view.id, revision, this.asking));
    if (!v) this.then = then;
    else this.own(v.made ?? v.revision);
  }

  /** Takes what was tried in a copy, and chosen of it, over into this office, as one edit of one's own. */
  async takeOver(from: number, chosen: { seen: number; keys: string[] }): Promise<boolean> {
    const v = await this.send((view) => api.takeover(view.id, from, chosen, this.asking));
    if (!v) return false;
    this.own(v.made ?? v.revision);
    this.redoable = [];
    return true;
  }

  private async load(id: number) {
    const visit = this.visit;
    const [view, history] = await Promise.all([api.office(id), api.history(id)]);
    if (visit !== this.visit) return; // somebody went elsewhere meanwhile
    this.view = view;
    this.onmerge?.(view);
    const mine = history.filter((h) => h.id.startsWith(`${browser()}.`) && !h.undoneBy);
    const undoing = (h: HistoryEntry) => h.turn === "undo";
    this.undoable = mine
      .filter((h) => !undoing(h))
      .map((h) => h.revision)
      .reverse();
    // What was taken back after the last edit of one's own can be redone.
    const last = Math.max(0, ...mine.filter((h) => !h.undoes).map((h) => h.revision));
    this.redoable = mine
      .filter((h) => undoing(h) && h.revision > last)
      .map((h) => h.revision)
      .reverse();
  }

  /** Takes what the server says after an edit; older news is no news. */
  private take(v: Change) {
    const old = this.view;
    if (!old || v.revision <= old.revision) return;
    if (v.whole) {
      this.view = whole(v);
      this.onmerge?.(v);
      return;
    }
    if (v.revision !== old.revision + 1) {
      void this.load(old.id).catch((e) => this.tell(e));
      return;
    }
    this.view = merge(old, v);
    this.onmerge?.(v);
    if (v.author && v.author !== this.me) {
      this.otherBy = v.author;
      this.notice = { kind: "said", text: `${v.author}: ${turned(v)}` };
    }
  }

  tell(e: unknown) {
    const text = e instanceof Error ? e.message : String(e);
    if (e instanceof Refused && e.status === 401) {
      if (me.now.accounts) me.out = true;
      else this.askName = true;
    }
    this.notice = { kind: "problem", text };
  }

  /** An edit of one's own, which can be taken back; it may stand in the history that was read meanwhile. */
  private own(revision: number) {
    if (!this.undoable.includes(revision)) this.undoable = [...this.undoable, revision];
  }

  /** Sends one thing after the other, so that each is on what the last left. */
  private send(call: (view: Office) => Promise<Change>): Promise<Change | null> {
    const run = async () => {
      if (!this.view) return null;
      if (this.then) {
        this.notice = {
          kind: "problem",
          text: this.asFound
            ? "This is the office as found: go back to the plan to change it."
            : `This is revision ${this.then.revision}, which is past: go back to now to change something, or restore it.`,
        };
        return null;
      }
      // An edit that is kept at once is not announced: the header would flicker.
      this.clashed = false;
      const slow = setTimeout(() => (this.keeping = "saving"), 150);
      try {
        const v = await call(this.view);
        if (v.whole && v.revision === this.view.revision) this.view = whole(v); // asked again: it was made already
        this.take(v);
        this.keeping = "kept";
        if (this.notice?.kind === "problem") this.notice = null;
        return v;
      } catch (e) {
        const gone = e instanceof Refused && (e.status === 0 || e.status === 503);
        this.keeping = gone ? "lost" : "refused";
        this.clashed = e instanceof Refused && e.status === 409;
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
        if (!this.view || !(await api.healthy())) return;
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

  /** While nobody knows what became of a request, it is asked again, and the page says so. */
  private asking = () => {
    this.keeping = "lost";
    this.notice = { kind: "problem", text: "The answer was lost on the way: Klammer asks again whether this was kept." };
  };

  async edit(...commands: Command[]) {
    const before = this.view?.revision;
    const from = this.typedFrom;
    const v = await this.send(async (view) => {
      const look = this.looking?.();
      const base = from === null ? view.revision : Math.min(view.revision, Math.max(from, this.ownLast));
      const v = await api.edit(view.id, base, commands, look, this.asking);
      if (look && v.look) this.looked = { revision: v.revision, at: JSON.stringify(look), says: v.look };
      return v;
    });
    if (v || this.clashed) this.typed(); // it is kept, or one was told what others did meanwhile
    if (v && v.revision !== before) {
      this.own(v.made ?? v.revision);
      this.ownLast = v.made ?? v.revision;
      this.redoable = [];
    }
    return v;
  }

  /** What was refused is told where it was asked; true where it was refused, and not lost. */
  refused(): boolean {
    if (this.keeping !== "refused") return false;
    this.keeping = "kept";
    // What somebody else did meanwhile, no field and no line can say.
    if (this.notice?.kind === "problem" && !this.clashed) this.notice = null;
    return true;
  }

  /** Makes an edit of statements; what is wrong with them comes back as text, for the field that they are from. */
  async tryLines(lines: string[]): Promise<string> {
    const v = await this.edit({ lines });
    if (v) return "";
    const n = this.notice;
    if (n?.kind === "problem" && this.refused()) return n.text.replace(/^(line \d+, )?column \d+: /gm, "");
    return n?.text ?? "";
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
      const v = await api.undo(view.id, last, this.asking);
      after(last, v.made ?? v.revision);
      const where = v.devices.find((d) => d.some && d.ports.length);
      if (v.summary) this.notice = { kind: "said", text: `${v.turn === "undo" ? "Taken back" : "Done again"}: ${v.summary}` };
      if (where) setTimeout(() => this.onturned?.(`${where.name}.${where.ports[0]!.name}`));
      return v;
    });
  }

  async sayName(name: string) {
    this.me = (await api.sayName(name)).name;
    this.askName = false;
    if (this.view) {
      people.join(this.view.id);
      await this.load(this.view.id);
    }
  }
}

export const office = new OfficeState();
