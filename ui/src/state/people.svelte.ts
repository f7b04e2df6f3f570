import { api, tab, type Somebody } from "../api/client";

/** Silence after which somebody counts as gone, ms. */
const silence = 22000;
const beat = 9000;

/** Who else is at the office, and where: a quiet mark, kept nowhere. */
class People {
  list = $state.raw<Somebody[]>([]);
  private heard = new Map<string, { who: Somebody; at: number }>();
  private office = 0;
  private mine = { port: "", vid: 0 };
  private timer: ReturnType<typeof setInterval> | undefined;
  private soon: ReturnType<typeof setTimeout> | undefined;

  join(office: number) {
    this.leave();
    this.office = office;
    this.say({ new: true });
    this.timer = setInterval(() => {
      this.say({});
      this.sweep();
    }, beat);
    addEventListener("pagehide", this.leave);
  }

  leave = () => {
    if (!this.office) return;
    removeEventListener("pagehide", this.leave);
    this.say({ gone: true });
    clearInterval(this.timer);
    clearTimeout(this.soon);
    this.office = 0;
    this.heard.clear();
    this.list = [];
  };

  /** Says where this tab is, a little later, so that a run of moves is one word. */
  at(port: string, vid: number) {
    if (this.mine.port === port && this.mine.vid === vid) return;
    this.mine = { port, vid };
    clearTimeout(this.soon);
    this.soon = setTimeout(() => this.say({}), 200);
  }

  hear(who: Somebody) {
    if (who.tab === tab) return;
    if (who.gone) this.heard.delete(who.tab);
    else this.heard.set(who.tab, { who, at: Date.now() });
    if (who.new) this.say({});
    this.sweep();
  }

  private sweep() {
    for (const [tab, x] of this.heard) if (Date.now() - x.at > silence) this.heard.delete(tab);
    this.list = [...this.heard.values()].map((x) => x.who);
  }

  private say(more: { new?: boolean; gone?: boolean }) {
    const { office, mine } = this;
    if (office) api.here(office, { tab, ...mine, ...more }).catch(() => undefined); // a mark that is late is no loss
  }
}

export const people = new People();
