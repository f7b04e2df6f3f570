import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

type Schemas = components["schemas"];
/** An office, or after an edit what became otherwise in it. */
export type Change = Schemas["ApiOfficeView"];
/** A whole office. */
export type Office = Change & Required<Pick<Change, "uses" | "plans" | "services" | "wishes">>;
export type Vlan = Schemas["ApiVLANView"];
export type Device = Schemas["ApiDeviceView"];
export type Port = Schemas["ApiPortView"];
export type Link = Schemas["ApiLinkView"];
export type Finding = Schemas["ApiFinding"];
export type Look = Schemas["ApiLookRequest"];
/** One thing to do: members of VLANs, a PVID, or lines. */
export type Command = Schemas["ApiCommandRequest"];
export type Preview = Schemas["ApiPreview"];
export type Explanation = Schemas["ApiExplanation"];
export type Reach = Schemas["ApiReachView"];
export type Branch = Schemas["ApiBranchView"];
export type Place = Schemas["ApiPlaceView"];
export type OfficeSummary = Schemas["ApiOfficeSummary"];
export type NewOffice = Schemas["ApiNewOffice"];
export type Comparison = Schemas["ApiComparison"];
export type Checkups = Schemas["ApiCheckupsView"];
export type Checkup = Schemas["ApiCheckup"];
export type Shelf = Schemas["ApiShelfView"];
export type ShelfItem = Schemas["ApiShelfItem"];
export type Notices = Schemas["ApiNoticesView"];
export type Story = Schemas["ApiStory"];
export type WalkAnswer = Schemas["ApiWalkView"];
export type Walk = Schemas["ApiWalk"];
export type Hop = Schemas["ApiHop"];
export type Journey = Schemas["ApiJourney"];
export type Proposal = Schemas["ApiProposalView"];
export type Use = Schemas["ApiUseView"];
export type Plan = Schemas["ApiPlanView"];
export type Shape = Schemas["ApiShapeView"];
export type Mistake = Schemas["ApiMistakeView"];
export type SheetAnswer = Schemas["ApiSheetView"];
export type Sheet = Schemas["ApiSheet"];
export type SheetTable = Schemas["WordingTable"];
export type FoundState = Schemas["ApiFoundState"];
export type FoundAnswer = Schemas["ApiFoundAnswer"];
export type FoundRequest = Schemas["ApiFoundRequest"];
export type Hit = Schemas["ApiHit"];
export type IntakeAnswer = Schemas["ApiIntakeAnswer"];
export type IntakeRequest = Schemas["ApiIntakeRequest"];
export type IntakeAbove = Schemas["ApiIntakeAbove"];
export type IntakeLine = Schemas["ApiIntakeLine"];
export type PortChange = Schemas["ApiPortChange"];
export type Here = Schemas["ApiHere"];
export type TalkTable = Schemas["ApiTalkView"];
export type TalkAnswer = Schemas["ApiTalkAnswer"];
export type TalkShift = Schemas["ApiTalkShift"];
export type WorkOrder = Schemas["ApiOrderView"];
export type Rehearsal = Schemas["ApiRehearsal"];
export type Protocol = Schemas["ApiProtocol"];
export type OrderRequest = Schemas["ApiOrderRequest"];
export type OrderStep = Schemas["ApiOrderStep"];
export type Carry = Schemas["ApiCarryView"];
export type Readings = Schemas["ApiReadingView"];
export type Discovered = Schemas["ApiDiscoverAnswer"];
export type DeviceReading = Schemas["ApiDeviceReading"];
export type CredentialRequest = Schemas["ApiCredentialRequest"];
export type RoundView = Schemas["ApiRoundView"];
export type RoundTest = NonNullable<Schemas["ApiRoundTest"]>;
export type PlugTest = NonNullable<Schemas["ApiPlugTest"]>;
export type Me = Schemas["ApiMe"];
export type Invited = Schemas["ApiInvited"];
export type PeopleList = Schemas["ApiPeopleView"];
export type Session = NonNullable<Schemas["ApiSessionView"]>;
export type Passkey = NonNullable<Schemas["ApiPasskeyView"]>;
export type RecordEntry = NonNullable<Schemas["ApiRecordEntry"]>;
export type TokenList = Schemas["ApiTokenList"];
export type RoundResult = Schemas["ApiRoundResult"];
export type RoundHere = Schemas["ApiRoundHere"];
export type HistoryEntry = Schemas["ApiHistoryEntry"];

/** What the server refused, or that it could not be reached (status 0). */
export class Refused extends Error {
  constructor(
    readonly status: number,
    message: string,
    readonly field = "",
    /** What is wrong in a text in notation, at its places. */
    readonly mistakes: Mistake[] = [],
    /** Whether it may have been done all the same: the same request, asked again, tells. */
    readonly unsure = false,
  ) {
    super(message);
  }
}

function letters() {
  return crypto.randomUUID?.() ?? Array.from(crypto.getRandomValues(new Uint8Array(16)), (b) => b.toString(16).padStart(2, "0")).join("");
}

/** What this tab is called: the server does not tell it what it was answered. */
export const tab = letters().slice(0, 8);

const http = createClient<paths>({ baseUrl: "/", headers: { "Klammer-Tab": tab }, fetch: (request) => fetch(request) });

/** A request that hangs is a server that is gone. */
const patience = 8000;
/** A whole office takes longer. */
const long = 30000;

type Answer<T> = { data?: T; error?: { error?: string; field?: string; mistakes?: Mistake[]; unsure?: boolean }; response: Response };

async function ask<T>(call: (signal: AbortSignal) => Promise<Answer<T>>, wait = patience): Promise<T> {
  let answer: Answer<T>;
  try {
    answer = await call(AbortSignal.timeout(wait));
  } catch {
    throw new Refused(0, "The server does not answer.", "", [], true);
  }
  if (answer.data === undefined || !answer.response.ok) {
    const text = answer.error?.error ?? `the server answered ${answer.response.status}`;
    throw new Refused(answer.response.status, text, answer.error?.field, answer.error?.mistakes, answer.error?.unsure);
  }
  return answer.data;
}

/** What this browser is called in the names of its requests: two people of one name do not take back each other's. */
export function browser(): string {
  const key = "klammer-browser";
  let own = localStorage.getItem(key);
  if (!own) localStorage.setItem(key, (own = letters().slice(0, 8)));
  return own;
}

/** A name of its own for a request that writes: asked again under it, it is not done again. */
const named = () => `${browser()}.${letters()}`;

/** How often a request of which nobody knows whether it was done is asked again, and how long is waited between. */
const asks = 40;
const between = 1000;

/**
 * Sends a request that writes. Where the answer is lost, with the server or the
 * database, the same request is asked again until somebody knows what became of
 * it; waiting says so meanwhile.
 */
async function write<T>(
  call: (id: string, again: boolean, signal: AbortSignal) => Promise<Answer<T>>,
  waiting: () => void,
  wait = patience,
): Promise<T> {
  const id = named();
  for (let n = 0; ; n++) {
    try {
      return await ask((signal) => call(id, n > 0, signal), wait);
    } catch (e) {
      if (!(e instanceof Refused) || !(e.unsure || (n > 0 && e.status === 503)) || n >= asks) throw e;
      waiting();
      await new Promise((r) => setTimeout(r, between));
    }
  }
}

const wide = new Map<string, number[]>();

/** The numbers of ranges such as 110,120-190; the same text gives the same list. */
export function numbers(ranges: string): number[] {
  let out = wide.get(ranges);
  if (!out) {
    out = ranges.split(",").flatMap((r) => {
      const [from, to] = r.split("-").map(Number);
      return Array.from({ length: (to ?? from!) - from! + 1 }, (_, i) => from! + i);
    });
    if (wide.size > 200) wide.clear();
    wide.set(ranges, out);
  }
  return out;
}

/** Many VLANs come as ranges: written out where they are looked at. */
function written<T extends Change>(v: T): T {
  for (const d of v.devices) unfold(d);
  for (const l of v.links) if (l.ranges) l.vlans = numbers(l.ranges);
  return v;
}
/** A whole office says all of its parts. */
export const whole = (v: Change): Office => ({
  ...written(v),
  uses: v.uses ?? [],
  plans: v.plans ?? [],
  services: v.services ?? [],
  wishes: v.wishes ?? [],
});
function unfold(d: Device): Device {
  for (const p of d.ports) if (p.ranges) p.tagged = numbers(p.ranges);
  return d;
}

const at = (id: number) => ({ path: { id } });

export const api = {
  me: () => ask((signal) => http.GET("/api/me", { signal })),
  sayName: (name: string) => ask((signal) => http.PUT("/api/me", { body: { name }, signal })),
  signIn: (name: string, password: string) => ask((signal) => http.POST("/api/sign-in", { body: { name, password }, signal }), long),
  invited: (secret: string) => ask((signal) => http.POST("/api/invited", { body: { secret }, signal })),
  join: (secret: string, name: string, password: string) =>
    ask((signal) => http.POST("/api/join", { body: { secret, name, password }, signal }), long),
  sessions: async () => (await ask((signal) => http.GET("/api/sessions", { signal }))) as Session[],
  endSession: async (session: number) =>
    (await ask((signal) =>
      http.DELETE("/api/sessions", {
        params: { query: { session: session || undefined } },
        headers: { "Content-Type": "application/json" },
        signal,
      }),
    )) as Session[],
  password: (old: string, next: string) => ask((signal) => http.PUT("/api/password", { body: { old, new: next }, signal }), long),
  passkeys: async () => (await ask((signal) => http.GET("/api/passkeys", { signal }))) as Passkey[],
  passkeyNew: (password: string) => ask((signal) => http.POST("/api/passkeys", { body: { password }, signal }), long),
  passkeyKeep: async (ceremony: string, name: string, response: unknown) =>
    (await ask((signal) => http.PUT("/api/passkeys", { body: { ceremony, name, response }, signal }))) as Passkey[],
  passkeyDrop: async (passkey: number, password: string) =>
    (await ask((signal) => http.PUT("/api/passkeys/forget", { body: { passkey, password }, signal }), long)) as Passkey[],
  passkeysAlone: (alone: boolean, password: string) =>
    ask((signal) => http.PUT("/api/passkeys/alone", { body: { alone, password }, signal })),
  passkeyAsk: () => ask((signal) => http.POST("/api/sign-in/passkey", { headers: { "Content-Type": "application/json" }, signal })),
  passkeyEnter: (ceremony: string, response: unknown) =>
    ask((signal) => http.PUT("/api/sign-in/passkey", { body: { ceremony, response }, signal })),
  people: (id: number) =>
    ask((signal) => (id ? http.GET("/api/offices/{id}/people", { params: at(id), signal }) : http.GET("/api/people", { signal }))),
  setRole: (id: number, person: number, role: string) => {
    const body = { person, role: role as "reader" };
    return ask((signal) =>
      id ? http.PUT("/api/offices/{id}/people", { params: at(id), body, signal }) : http.PUT("/api/people", { body, signal }),
    );
  },
  removePerson: (person: number) =>
    ask((signal) => http.DELETE("/api/people", { params: { query: { person } }, headers: { "Content-Type": "application/json" }, signal })),
  invite: (id: number, role: string) => {
    const body = { role: role as "reader" };
    return ask((signal) =>
      id ? http.POST("/api/offices/{id}/invitations", { params: at(id), body, signal }) : http.POST("/api/invitations", { body, signal }),
    );
  },
  withdraw: (id: number, invitation: number) => {
    const headers = { "Content-Type": "application/json" };
    return ask((signal) =>
      id
        ? http.DELETE("/api/offices/{id}/invitations", { params: { path: { id }, query: { invitation } }, headers, signal })
        : http.DELETE("/api/invitations", { params: { query: { invitation } }, headers, signal }),
    );
  },
  record: async (id: number) =>
    (await ask((signal) =>
      id ? http.GET("/api/offices/{id}/record", { params: at(id), signal }) : http.GET("/api/record", { signal }),
    )) as RecordEntry[],
  search: (q: string) => ask((signal) => http.GET("/api/search", { params: { query: { q } }, signal })),
  offices: () => ask((signal) => http.GET("/api/offices", { signal })),
  office: async (id: number) => whole(await ask((signal) => http.GET("/api/offices/{id}", { params: at(id), signal }), long)),
  edit: async (id: number, base: number, commands: Command[], look: Look | undefined, waiting = () => {}) =>
    written(
      await write(
        (own, again, signal) =>
          http.POST("/api/offices/{id}/edits", { params: at(id), body: { base, commands, look, id: own, again }, signal }),
        waiting,
      ),
    ),
  preview: async (id: number, base: number, commands: Command[]) => {
    const p = await ask((signal) => http.POST("/api/offices/{id}/preview", { params: at(id), body: { base, commands }, signal }));
    p.devices.forEach(unfold);
    return p;
  },
  undo: async (id: number, revision: number, waiting = () => {}) =>
    written(
      await write(
        (own, again, signal) => http.POST("/api/offices/{id}/undo", { params: at(id), body: { revision, id: own, again }, signal }),
        waiting,
      ),
    ),
  mends: (id: number, finding: string[]) =>
    ask((signal) => http.GET("/api/offices/{id}/mends", { params: { path: { id }, query: { finding } }, signal })),
  history: (id: number, before = 0) =>
    ask((signal) => http.GET("/api/offices/{id}/history", { params: { path: { id }, query: { before: before || undefined } }, signal })),
  then: async (id: number, revision: number) =>
    whole(await ask((signal) => http.GET("/api/offices/{id}/at/{revision}", { params: { path: { id, revision } }, signal }), long)),
  restore: async (id: number, revision: number, waiting = () => {}) =>
    written(
      await write(
        (own, again, signal) => http.POST("/api/offices/{id}/restore", { params: at(id), body: { revision, id: own, again }, signal }),
        waiting,
      ),
    ),
  intake: (body: IntakeRequest, waiting = () => {}) =>
    body.take
      ? write((own, again, signal) => http.POST("/api/intake", { body: { ...body, id: own, again }, signal }), waiting, long)
      : ask((signal) => http.POST("/api/intake", { body, signal }), long),
  tried: (id: number, from: number) =>
    ask((signal) => http.GET("/api/offices/{id}/tried", { params: { ...at(id), query: { from } }, signal })),
  takeover: async (id: number, from: number, chosen: { seen: number; keys: string[] }, waiting = () => {}) =>
    written(
      await write(
        (own, again, signal) =>
          http.POST("/api/offices/{id}/takeover", { params: at(id), body: { from, ...chosen, id: own, again }, signal }),
        waiting,
      ),
    ),
  create: (body: NewOffice, waiting = () => {}) =>
    write((own, again, signal) => http.POST("/api/offices", { body: { ...body, id: own, again }, signal }), waiting, long),
  remove: (id: number, title: string) =>
    ask((signal) =>
      http.DELETE("/api/offices/{id}", {
        params: { path: { id }, query: { title } },
        headers: { "Content-Type": "application/json" },
        signal,
      }),
    ),
  shelf: (id: number) => ask((signal) => http.GET("/api/offices/{id}/shelf", { params: at(id), signal })),
  shelve: (id: number, body: Schemas["ApiShelfRequest"]) =>
    ask((signal) => http.POST("/api/offices/{id}/shelf", { params: at(id), body, signal })),
  followShelf: (id: number, body: Schemas["ApiShelfFollow"]) =>
    ask((signal) => http.PUT("/api/offices/{id}/shelf/follow", { params: at(id), body, signal })),
  unshelve: (id: number, name: string) =>
    ask((signal) =>
      http.DELETE("/api/offices/{id}/shelf", {
        params: { ...at(id), query: { name } },
        headers: { "Content-Type": "application/json" },
        signal,
      }),
    ),
  checkups: (id: number) => ask((signal) => http.GET("/api/offices/{id}/checkups", { params: at(id), signal })),
  checkUp: (id: number, note: string) =>
    ask((signal) => http.POST("/api/offices/{id}/checkups", { params: at(id), body: { note: note.trim() || undefined }, signal }), long),
  checkEvery: (id: number, days: number) =>
    ask((signal) => http.PUT("/api/offices/{id}/checkups/every", { params: at(id), body: { days }, signal })),
  notices: (id: number) => ask((signal) => http.GET("/api/offices/{id}/notices", { params: at(id), signal })),
  addNotice: (id: number, body: Schemas["ApiNoticeRequest"]) =>
    ask((signal) => http.POST("/api/offices/{id}/notices", { params: at(id), body, signal })),
  dropNotice: (id: number, notice: number) =>
    ask((signal) =>
      http.DELETE("/api/offices/{id}/notices", {
        params: { ...at(id), query: { notice } },
        headers: { "Content-Type": "application/json" },
        signal,
      }),
    ),
  tryNotice: (id: number, notice: number) =>
    ask((signal) => http.POST("/api/offices/{id}/notices/test", { params: at(id), body: { id: notice }, signal })),
  handbook: async (id: number, chapters: string): Promise<string> =>
    String(
      await ask((signal) =>
        http.GET("/api/offices/{id}/handbook", {
          params: { ...at(id), query: { chapters: chapters || undefined } },
          parseAs: "text",
          signal,
        }),
      ),
    ),
  story: (
    id: number,
    query: { who?: string; device?: string; port?: string; vlan?: number; kinds?: string; before?: number; until?: string },
  ) => ask((signal) => http.GET("/api/offices/{id}/story", { params: { ...at(id), query }, signal })),
  nameRevision: (id: number, revision: number, name: string) =>
    ask((signal) => http.PUT("/api/offices/{id}/history/{revision}/name", { params: { path: { id, revision } }, body: { name }, signal })),
  compare: (id: number, query: { with: number } | { to: number; at?: number }) =>
    ask((signal) => http.GET("/api/offices/{id}/compare", { params: { path: { id }, query }, signal })),
  walk: (id: number, from: string, wire: string, to: string, revision?: number) =>
    ask((signal) =>
      http.GET("/api/offices/{id}/walk", {
        params: { path: { id }, query: { from, wire: wire || undefined, to: to || undefined, at: revision } },
        signal,
      }),
    ),
  talk: (id: number, revision?: number) =>
    ask((signal) => http.GET("/api/offices/{id}/talk", { params: { path: { id }, query: { at: revision } }, signal }), long),
  talkWay: (id: number, from: string, to: string, service: string, revision?: number) =>
    ask((signal) =>
      http.GET("/api/offices/{id}/talk/way", {
        params: { path: { id }, query: { from, to, service: service || undefined, at: revision } },
        signal,
      }),
    ),
  propose: (id: number, name: string, vid: number) =>
    ask((signal) => http.GET("/api/offices/{id}/propose", { params: { path: { id }, query: { name, vid: vid || undefined } }, signal })),
  here: (id: number, body: Here) => ask((signal) => http.POST("/api/offices/{id}/here", { params: at(id), body, signal })),
  sheet: (id: number, device: string) =>
    ask((signal) => http.GET("/api/offices/{id}/sheet", { params: { path: { id }, query: { device } }, signal })),
  found: (id: number, body: FoundRequest) => ask((signal) => http.POST("/api/offices/{id}/found", { params: at(id), body, signal })),
  meaning: (id: number, device: string) =>
    ask((signal) => http.GET("/api/offices/{id}/found/meaning", { params: { path: { id }, query: { device } }, signal }), long),
  foundNow: (id: number) => ask((signal) => http.GET("/api/offices/{id}/found", { params: at(id), signal })),
  foundView: async (id: number) => whole(await ask((signal) => http.GET("/api/offices/{id}/found/view", { params: at(id), signal }), long)),
  tick: (id: number, device: string, step: string, on: boolean) =>
    ask((signal) => http.PUT("/api/offices/{id}/ticks", { params: at(id), body: { device, step, on }, signal })),
  orderNow: (id: number) => ask((signal) => http.GET("/api/offices/{id}/orders", { params: at(id), signal }), long),
  orderMake: (id: number, body: OrderRequest, stop: AbortSignal) =>
    ask((signal) => http.POST("/api/offices/{id}/orders", { params: at(id), body, signal: AbortSignal.any([signal, stop]) }), 120000),
  orderStop: (id: number) =>
    ask((signal) => http.DELETE("/api/offices/{id}/orders", { params: at(id), headers: { "Content-Type": "application/json" }, signal })),
  orderTick: (id: number, order: number, step: number, on: boolean, at?: string) =>
    ask((signal) => http.PUT("/api/offices/{id}/orders/ticks", { params: { path: { id } }, body: { order, step, on, at }, signal }), long),
  orderSay: (id: number, order: number, step: number, said: "refused" | "silent", words: string, at?: string) =>
    ask(
      (signal) =>
        http.PUT("/api/offices/{id}/orders/ticks", { params: { path: { id } }, body: { order, step, on: true, said, words, at }, signal }),
      long,
    ),
  protocol: (id: number) => ask((signal) => http.GET("/api/offices/{id}/orders/protocol", { params: at(id), signal }), long),
  orderAt: async (id: number, step: number) =>
    whole(await ask((signal) => http.GET("/api/offices/{id}/orders/at", { params: { path: { id }, query: { step } }, signal }), long)),
  carry: (id: number, order: number, visit: number, back = false) =>
    ask((signal) =>
      http.POST("/api/offices/{id}/orders/carry", { params: at(id), body: { order, visit, back: back || undefined }, signal }),
    ),
  rehearse: (id: number, order: number, visit: number) =>
    ask((signal) => http.POST("/api/offices/{id}/orders/rehearsal", { params: at(id), body: { order, visit }, signal }), 60000),
  readings: (id: number) => ask((signal) => http.GET("/api/offices/{id}/readings", { params: at(id), signal }), long),
  readDevices: (id: number, devices: string[]) =>
    ask((signal) => http.POST("/api/offices/{id}/readings", { params: at(id), body: { devices }, signal }), long),
  discover: (id: number, addresses: string[], credentials: string) =>
    ask(
      (signal) => http.POST("/api/offices/{id}/discover", { params: at(id), body: { addresses, with: credentials || undefined }, signal }),
      long,
    ),
  readStop: (id: number) =>
    ask((signal) => http.DELETE("/api/offices/{id}/readings", { params: at(id), headers: { "Content-Type": "application/json" }, signal })),
  readEvery: (id: number, minutes: number) =>
    ask((signal) => http.PUT("/api/offices/{id}/readings/every", { params: at(id), body: { minutes }, signal })),
  putCredential: (id: number, body: CredentialRequest) =>
    ask((signal) => http.PUT("/api/offices/{id}/credentials", { params: at(id), body, signal })),
  dropCredential: (id: number, name: string) =>
    ask((signal) =>
      http.DELETE("/api/offices/{id}/credentials", {
        params: { path: { id }, query: { name } },
        headers: { "Content-Type": "application/json" },
        signal,
      }),
    ),
  round: (id: number, stop?: AbortSignal) =>
    ask(
      (signal) => http.GET("/api/offices/{id}/round", { params: at(id), signal: stop ? AbortSignal.any([signal, stop]) : signal }),
      120000,
    ),
  roundWorking: (id: number) => ask((signal) => http.GET("/api/offices/{id}/round/working", { params: at(id), signal })),
  roundHere: (id: number, port?: string) =>
    ask((signal) => http.GET("/api/offices/{id}/round/here", { params: { ...at(id), query: { port } }, signal }), long),
  roundResult: (id: number, body: RoundResult) =>
    ask((signal) => http.PUT("/api/offices/{id}/round/results", { params: at(id), body, signal }), long),
  tokens: (id: number) => ask((signal) => http.GET("/api/offices/{id}/tokens", { params: at(id), signal })),
  tokenMake: (id: number, name: string, days: number, scope: string, password = "") =>
    ask((signal) =>
      http.POST("/api/offices/{id}/tokens", {
        params: at(id),
        body: { name, days, scope: scope as "tests", password: password || undefined },
        signal,
      }),
    ),
  tokenEnd: (id: number, token: number) =>
    ask((signal) =>
      http.DELETE("/api/offices/{id}/tokens", {
        params: { path: { id }, query: { token } },
        headers: { "Content-Type": "application/json" },
        signal,
      }),
    ),
  roundPlay: (id: number) => ask((signal) => http.POST("/api/offices/{id}/round/play", { params: at(id), body: {}, signal }), long),
  healthy: () =>
    fetch("/api/health").then(
      (r) => r.ok,
      () => false,
    ),
  explain: (id: number, ports: string[], vlan: number, revision?: number) =>
    ask((signal) =>
      http.GET("/api/offices/{id}/explain", {
        params: { path: { id }, query: { ports: ports.length ? ports : undefined, vlan: vlan || undefined, at: revision } },
        signal,
      }),
    ),
};

/** Somebody's place in an office. */
export type Somebody = Here & { name: string };

/** What the stream of edits tells. */
export interface Listener {
  edit(change: Change): void;
  here(who: Somebody): void;
  found(device: string): void;
  /** A work order was made, or went on. */
  order(): void;
  /** Devices are being read, or were; or something became of a plug test. */
  read(): void;
  /** The revision that the office is at, as one begins to listen. */
  at(revision: number): void;
  /** The same every few seconds. */
  beat(revision: number): void;
  lost(): void;
}

/** Silence after which the server counts as gone; it beats every 3 s. */
const silence = 8000;

/** Listens to edits, and keeps trying when the server is gone. */
export function listen(id: number, l: Listener): () => void {
  let source: EventSource;
  let watch: ReturnType<typeof setTimeout> | undefined;
  let again: ReturnType<typeof setTimeout> | undefined;
  let closed = false;
  const alive = () => {
    clearTimeout(watch);
    watch = setTimeout(reopen, silence);
  };
  const reopen = () => {
    source.close();
    clearTimeout(watch);
    l.lost();
    if (!closed) again = setTimeout(open, 700);
  };
  const open = () => {
    source = new EventSource(`/api/offices/${id}/events?tab=${tab}`);
    source.addEventListener("at", (e) => (alive(), l.at(Number(e.data))));
    source.addEventListener("edit", (e) => (alive(), l.edit(written(JSON.parse(e.data) as Change))));
    source.addEventListener("here", (e) => l.here(JSON.parse(e.data) as Somebody));
    source.addEventListener("found", (e) => l.found((JSON.parse(e.data) as { found: string }).found));
    source.addEventListener("order", () => l.order());
    source.addEventListener("read", () => l.read());
    source.addEventListener("round", () => l.read());
    source.addEventListener("beat", (e) => {
      alive();
      if (e.data) l.beat(Number(e.data));
    });
    source.onerror = reopen;
  };
  // A page that is left may be kept by the browser, its connection with it; a
  // few such, and none is left for the page that is open.
  const rest = () => {
    clearTimeout(watch);
    clearTimeout(again);
    source.close();
  };
  const wake = (e: PageTransitionEvent) => e.persisted && open();
  addEventListener("pagehide", rest);
  addEventListener("pageshow", wake);
  open();
  return () => {
    closed = true;
    removeEventListener("pagehide", rest);
    removeEventListener("pageshow", wake);
    clearTimeout(watch);
    clearTimeout(again);
    source.close();
  };
}
