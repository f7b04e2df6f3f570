import { api, type EditBody, type Preview } from "../api/client";
import { office } from "./office.svelte";
import { selection } from "./selection.svelte";

type Op = Omit<EditBody, "base">;

/** An edit that shows what it would do before Enter does it. */
class Pending {
  /** What is typed on the line. */
  text = $state("");
  /** What is waiting for Enter and was not typed: a bring, a withdraw. */
  op = $state.raw<Op | null>(null);
  says = $state("");
  preview = $state.raw<Preview | null>(null);
  problem = $state("");
  private timer: ReturnType<typeof setTimeout> | undefined;
  private asked = 0;

  /** A key on the board; true where it meant something. */
  key(k: string): boolean {
    switch (k) {
      case "u":
        this.member("untagged");
        return true;
      case "t":
        this.member("tagged");
        return true;
      case ".":
        this.member("none");
        return true;
      case "p":
        this.pvid();
        return true;
      case "b":
        this.bring(true);
        return true;
      case "w":
        this.bring(false);
        return true;
      case "c":
        return selection.cableHere();
    }
    return false;
  }

  member(as: "untagged" | "tagged" | "none") {
    const vids = selection.vlans.map((v) => v.vid);
    if (selection.ports.length) void office.edit({ member: { vids, ports: selection.ports, as } });
  }

  pvid() {
    const vid = selection.vlan?.vid;
    if (vid && selection.ports.length) void office.edit({ pvid: { vid, ports: selection.ports } });
  }

  /** Works a bring or a withdraw out and waits for Enter. */
  bring(there: boolean) {
    const port = selection.ports[0];
    const v = selection.vlan;
    if (!port || !v) return;
    const where = port.replace(".", " ");
    this.op = there ? { bring: { vid: v.vid, port } } : { withdraw: { vid: v.vid, port } };
    this.says = there ? `bring ${v.vid} ${v.name} to ${where}` : `withdraw ${v.vid} ${v.name} from ${where}`;
    this.text = "";
    void this.ask(this.op);
    document.getElementById("line")?.focus();
  }

  typed() {
    this.op = null;
    clearTimeout(this.timer);
    this.preview = null;
    this.problem = "";
    this.asked++;
    const text = this.text.trim();
    if (text) this.timer = setTimeout(() => void this.ask({ lines: [text] }), 90);
  }

  private async ask(op: Op) {
    const view = office.view;
    if (!view) return;
    const mine = ++this.asked;
    try {
      const p = await api.preview(view.id, { ...op, base: view.revision });
      if (mine !== this.asked) return;
      this.preview = p;
      this.problem = "";
    } catch (e) {
      if (mine !== this.asked) return;
      this.preview = null;
      this.problem = e instanceof Error ? e.message : String(e);
    }
  }

  async apply() {
    const text = this.text.trim();
    const op = this.op ?? (text ? { lines: [text] } : null);
    if (!op) return;
    clearTimeout(this.timer);
    this.asked++;
    if (await office.edit(op)) this.clear();
  }

  clear() {
    this.asked++;
    this.text = this.says = this.problem = "";
    this.op = this.preview = null;
  }
}

export const pending = new Pending();
