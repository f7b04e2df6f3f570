import { latest } from "../api/latest";
import { api, Refused, type Command, type Device, type Mistake, type Port, type Preview } from "../api/client";
import { flights } from "./flights.svelte";
import { office } from "./office.svelte";
import { goes } from "../line/words";
import { ref } from "../line/quote";
import { selection } from "./selection.svelte";

/** An edit that shows what it would do before Enter does it. */
class Pending {
  /** What is typed on the line. */
  text = $state("");
  /** What is waiting for Enter and was not typed: a bring, a mend, a form's edit. */
  op = $state.raw<Command | null>(null);
  says = $state("");
  preview = $state.raw<Preview | null>(null);
  problem = $state("");
  mistakes = $state.raw<Mistake[]>([]);
  private timer: ReturnType<typeof setTimeout> | undefined;
  private newest = latest();
  private after: (() => void) | undefined;

  /** The changed devices as they would be, by name: the board draws them. */
  next = $derived(new Map((this.preview?.devices ?? []).map((d) => [d.name, d] as [string, Device])));
  private ports = $derived.by(() => {
    const out = new Map<string, Port>();
    const changed = new Set(this.preview?.changed);
    for (const d of this.preview?.devices ?? [])
      for (const p of d.ports) if (changed.has(`${d.name}.${p.name}`)) out.set(`${d.name}.${p.name}`, p);
    return out;
  });

  /** A port as it would be, where the waiting edit changes it. */
  port(ref: string): Port | undefined {
    return this.ports.get(ref);
  }

  member(as: "untagged" | "tagged" | "none") {
    const vids = selection.vlans.map((v) => v.vid);
    const ports = selection.ports;
    if (!ports.length || office.then) return void office.edit({ member: { vids, ports, as } });
    const land = flights.start(as === "untagged" ? vids.slice(0, 1) : vids, ports, as);
    void office.edit({ member: { vids, ports, as } }).finally(land);
  }

  pvid() {
    const vid = selection.vlan?.vid;
    if (vid && selection.ports.length) void office.edit({ pvid: { vid, ports: selection.ports } });
  }

  /** Works a bring or a withdraw out and waits for Enter. */
  bring(there: boolean) {
    const v = selection.vlan;
    if (!v || !selection.ports.length) return;
    const ports = selection.ports.map(ref).join(" ");
    this.propose([there ? `bring ${v.vid} to ${ports}` : `withdraw ${v.vid} from ${ports}`]);
  }

  /** Shows what statements would do and waits for Enter; then calls after. */
  propose(lines: string[], says = lines.join("; "), after?: () => void) {
    this.wait({ lines }, says, after);
  }

  /** Shows what a form's statements would do while they are written there; Enter in the form does it. */
  draft(lines: string[], says: string, after?: () => void) {
    this.wait({ lines }, says, after, false);
  }

  private wait(op: Command, says: string, after?: () => void, focus = true) {
    const before = this.preview;
    this.clear();
    if (!focus) this.preview = before; // what is shown stays until the answer is there
    this.op = op;
    this.says = says;
    this.after = after;
    clearTimeout(this.timer);
    if (focus) void this.ask(op);
    else this.timer = setTimeout(() => void this.ask(op), 120);
    if (focus) document.getElementById("line")?.focus();
  }

  typed() {
    this.op = null;
    this.after = undefined;
    clearTimeout(this.timer);
    this.preview = null;
    this.problem = "";
    this.mistakes = [];
    this.newest.drop();
    const text = this.text.trim();
    if (text && !goes(text)) this.timer = setTimeout(() => void this.ask({ lines: [this.text] }), 90);
  }

  private async ask(op: Command) {
    const view = office.view;
    if (!view) return;
    try {
      const p = await this.newest(api.preview(view.id, view.revision, [op]));
      this.preview = p;
      this.problem = "";
      this.mistakes = [];
    } catch (e) {
      this.preview = null;
      this.problem = e instanceof Error ? e.message : String(e);
      this.mistakes = e instanceof Refused ? e.mistakes : [];
    }
  }

  /** Does it; true where it was done. The line is free for the next at once, and gets back what was refused. */
  async apply(): Promise<boolean> {
    const { op, text, says, after } = this;
    const body = op ?? (text.trim() ? { lines: [text] } : null);
    if (!body) return false;
    this.clear();
    if (await office.edit(body)) {
      after?.();
      return true;
    }
    office.refused(); // the line says why
    if (!this.op && !this.text) {
      this.op = op;
      this.text = text;
      this.says = says;
      this.after = after;
      void this.ask(body);
    }
    return false;
  }

  clear() {
    this.newest.drop();
    clearTimeout(this.timer);
    this.text = this.says = this.problem = "";
    this.op = this.preview = null;
    this.after = undefined;
    this.mistakes = [];
  }
}

export const pending = new Pending();
