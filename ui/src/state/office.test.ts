import { beforeEach, describe, expect, it, vi } from "vitest";
import type { Office } from "../api/client";

// The state touches the page in a few places; a stand-in is enough.
vi.stubGlobal("document", { documentElement: { classList: { contains: () => false } }, getElementById: () => null });

const device = (name: string, shape: string) => ({
  name,
  kind: "switch",
  forwarding: "bridge",
  ports: [{ name: "1", kind: "physical", shape, untagged: [], tagged: [], pvid: 0, source: "port" }],
});
const view = (revision: number, more: Partial<Office> = {}): Office =>
  ({
    id: 1,
    title: "t",
    revision,
    whole: true,
    order: ["a", "b"],
    vlans: [],
    links: [],
    findings: [],
    devices: [device("a", "-"), device("b", "-")],
    ...more,
  }) as Office;

/** A server that answers one request after the other, as it is told. */
class Server {
  revision = 1;
  asked: { path: string; body: { base?: number; revision?: number } }[] = [];
  refuse: { status: number; error: string } | null = null;
  slow: Promise<void> = Promise.resolve();
  history: object[] = [];

  fetch = async (input: Request | string): Promise<Response> => {
    const request = typeof input === "string" ? new Request("http://x" + input) : input;
    const path = new URL(request.url).pathname;
    const json = (data: unknown, status = 200) =>
      new Response(JSON.stringify(data), { status, headers: { "Content-Type": "application/json" } });
    if (request.method === "POST") {
      if (path.endsWith("/here")) return json({});
      this.asked.push({ path, body: (await request.json()) as { base?: number } });
      await this.slow;
      if (this.refuse) return json({ error: this.refuse.error }, this.refuse.status);
      this.revision++;
      return json(
        view(this.revision, { whole: false, devices: [device("a", `at ${this.revision}`)] as Office["devices"], author: "Robin" }),
      );
    }
    if (path === "/api/me") return json({ name: "Robin" });
    if (path === "/api/offices") return json([{ id: 1, title: "t", revision: this.revision }]);
    if (path.endsWith("/history")) return json(this.history);
    return json(view(this.revision));
  };
}

class Stream {
  static last: Stream;
  heard = new Map<string, (e: { data: string }) => void>();
  onerror: (() => void) | null = null;
  constructor() {
    Stream.last = this;
  }
  addEventListener(name: string, f: (e: { data: string }) => void) {
    this.heard.set(name, f);
  }
  close() {}
  tell(name: string, data: unknown) {
    this.heard.get(name)?.({ data: JSON.stringify(data) });
  }
}

let server: Server;
let office: (typeof import("./office.svelte"))["office"];

beforeEach(async () => {
  vi.resetModules();
  server = new Server();
  vi.stubGlobal("location", { pathname: "/1", search: "", href: "http://x/1" });
  vi.stubGlobal("addEventListener", () => undefined);
  vi.stubGlobal("removeEventListener", () => undefined);
  vi.stubGlobal("localStorage", { getItem: (k: string) => (k === "klammer-browser" ? "me" : null), setItem: () => undefined });
  vi.stubGlobal("fetch", server.fetch);
  vi.stubGlobal("EventSource", Stream);
  // openapi-fetch makes requests with a relative address, as a browser allows
  const Real = Request;
  vi.stubGlobal(
    "Request",
    class extends Real {
      constructor(input: string | Request, init?: RequestInit) {
        super(typeof input === "string" && input.startsWith("/") ? "http://x" + input : input, init);
      }
    },
  );
  office = (await import("./office.svelte")).office;
  await office.open(1);
  return () => vi.unstubAllGlobals();
});

const shapes = () => office.view!.devices.map((d) => d.ports[0]!.shape);
const set = { member: { vids: [1], ports: ["a.1"], as: "tagged" as const } };

describe("edits", () => {
  it("go one after the other, each on what the last one left", async () => {
    await Promise.all([office.edit(set), office.edit(set), office.edit(set)]);
    expect(server.asked.map((a) => a.body.base)).toEqual([1, 2, 3]);
    expect(office.view!.revision).toBe(4);
    expect(shapes()).toEqual(["at 4", "-"]);
    expect(office.undoable).toEqual([2, 3, 4]);
  });

  it("leave untouched what did not change, so that it is not drawn again", async () => {
    const b = office.view!.devices[1];
    await office.edit(set);
    expect(office.view!.devices[1]).toBe(b);
  });

  it("are held against what others did since one began to type", async () => {
    const sam = () => Stream.last.tell("edit", view(++server.revision, { whole: false, devices: [device("b", "new")] as Office["devices"], author: "Sam" })); // prettier-ignore
    const base = () => server.asked.at(-1)!.body.base;
    office.typing();
    sam();
    sam();
    await Promise.all([office.edit(set), office.edit(set)]);
    expect(server.asked.map((a) => a.body.base)).toEqual([1, 4]); // and not against what one did oneself
    sam();
    await office.edit(set);
    expect(base()).toBe(6); // nothing was typed since
    office.typing();
    sam();
    server.refuse = { status: 409, error: "port a.1 was changed meanwhile by Sam" };
    expect(await office.edit(set)).toBeNull();
    expect(base()).toBe(7);
    server.refuse = null;
    await office.edit(set);
    expect(base()).toBe(8); // he was told, and insists
  });

  it("count what is typed in a field from its first key on, however soon another was left before", async () => {
    const sam = () => Stream.last.tell("edit", view(++server.revision, { whole: false, devices: [device("b", "new")] as Office["devices"], author: "Sam" })); // prettier-ignore
    const timers = () => new Promise((done) => setTimeout(done, 5));
    const base = () => server.asked.at(-1)!.body.base;
    office.typing();
    office.left();
    office.left();
    sam();
    office.typing(); // before the timer of the one that was left
    sam();
    await timers();
    await office.edit(set);
    expect(base()).toBe(2);
    office.typing();
    office.left();
    sam();
    await timers();
    await office.edit(set);
    expect(base()).toBe(5); // nothing is typed any more
  });

  it("that are refused change nothing and say why", async () => {
    server.refuse = { status: 409, error: "port a.1 was changed meanwhile by Sam" };
    expect(await office.edit(set)).toBeNull();
    expect(office.keeping).toBe("refused");
    expect(office.notice?.text).toContain("Sam");
    expect(office.view!.revision).toBe(1);
    expect(office.undoable).toEqual([]);
  });

  it("stand once among those that can be taken back, also where the office was read anew meanwhile", async () => {
    let go = () => {};
    server.slow = new Promise((r) => (go = r));
    const sent = office.edit(set);
    await new Promise((r) => setTimeout(r));
    server.history = [{ revision: 2, id: "me.1", turn: "edit", undoes: 0, undoneBy: 0 }];
    server.revision = 1;
    Stream.last.tell("at", 2);
    await vi.waitFor(() => expect(office.undoable).toEqual([2]));
    go();
    await sent;
    expect(office.undoable).toEqual([2]);
  });

  it("ask for a name where the server does not know one", async () => {
    server.refuse = { status: 401, error: "say who you are first" };
    await office.edit(set);
    expect(office.askName).toBe(true);
  });
});

describe("undo", () => {
  it("takes back the last edit that is left when its turn comes", async () => {
    await office.edit(set);
    await office.edit(set);
    await Promise.all([office.undo(), office.undo(), office.undo()]);
    expect(server.asked.filter((a) => a.path.endsWith("/undo")).map((a) => a.body.revision)).toEqual([3, 2]);
    expect(office.undoable).toEqual([]);
    expect(office.redoable).toEqual([4, 5]);
    await office.redo();
    expect(server.asked.at(-1)!.body.revision).toBe(5);
  });
});

describe("the stream", () => {
  it("brings the edits of others, and says whose they are", () => {
    Stream.last.tell(
      "edit",
      view(2, { whole: false, devices: [device("b", "new")] as Office["devices"], author: "Sam", summary: "110 off b 1" }),
    );
    expect(shapes()).toEqual(["-", "new"]);
    expect(office.notice?.text).toBe("Sam: 110 off b 1");
  });
  it("does not go back in time", () => {
    Stream.last.tell("edit", view(2, { title: "newer" }));
    Stream.last.tell("edit", view(1, { title: "older" }));
    expect(office.view!.title).toBe("newer");
  });
  it("reads the whole office where it missed an edit", async () => {
    server.revision = 5;
    Stream.last.tell("edit", view(5, { whole: false, devices: [] }));
    await vi.waitFor(() => expect(office.view!.revision).toBe(5));
    expect(office.view!.devices.length).toBe(2);
  });
  it("tells by its beat that an edit was missed", async () => {
    server.revision = 4;
    Stream.last.tell("beat", 4);
    await vi.waitFor(() => expect(office.view!.revision).toBe(4));
    Stream.last.heard.get("beat")?.({ data: "" });
    expect(office.view!.revision).toBe(4);
  });
  it("says when the server is gone, and keeps what it shows", () => {
    Stream.last.onerror?.();
    expect(office.keeping).toBe("lost");
    expect(office.view).not.toBeNull();
    office.leave();
  });
});
