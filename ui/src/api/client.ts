import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

type Schemas = components["schemas"];
export type Office = Schemas["ServerOfficeView"];
export type Vlan = Schemas["ServerVLANView"];
export type Device = Schemas["ServerDeviceView"];
export type Port = Schemas["ServerPortView"];
export type Link = Schemas["ServerLinkView"];
export type Finding = Schemas["ApiFinding"];
export type EditBody = Schemas["ServerEditRequest"];
export type Preview = Schemas["ServerPreview"];
export type Explanation = Schemas["ServerExplanation"];
export type Reach = Schemas["ServerReachView"];
export type Branch = Schemas["ServerBranchView"];
export type HistoryEntry = Schemas["ServerHistoryEntry"];

/** What the server refused, or that it could not be reached (status 0). */
export class Refused extends Error {
  constructor(
    readonly status: number,
    message: string,
    readonly field = "",
  ) {
    super(message);
  }
}

const http = createClient<paths>({ baseUrl: "/" });

/** A request that hangs is a server that is gone. */
const patience = 8000;

type Answer<T> = { data?: T; error?: { error?: string; field?: string }; response: Response };

async function ask<T>(call: (signal: AbortSignal) => Promise<Answer<T>>): Promise<T> {
  let answer: Answer<T>;
  try {
    answer = await call(AbortSignal.timeout(patience));
  } catch {
    throw new Refused(0, "The server does not answer. Nothing was changed.");
  }
  if (answer.data === undefined || !answer.response.ok) {
    const text = answer.error?.error ?? `the server answered ${answer.response.status}`;
    throw new Refused(answer.response.status, text, answer.error?.field);
  }
  return answer.data;
}

const at = (id: number) => ({ path: { id } });

export const api = {
  me: () => ask((signal) => http.GET("/api/me", { signal })),
  sayName: (name: string) => ask((signal) => http.PUT("/api/me", { body: { name }, signal })),
  offices: () => ask((signal) => http.GET("/api/offices", { signal })),
  office: (id: number) => ask((signal) => http.GET("/api/offices/{id}", { params: at(id), signal })),
  edit: (id: number, body: EditBody) =>
    ask((signal) => http.POST("/api/offices/{id}/edits", { params: at(id), body, signal })),
  preview: (id: number, body: EditBody) =>
    ask((signal) => http.POST("/api/offices/{id}/preview", { params: at(id), body, signal })),
  undo: (id: number, revision: number) =>
    ask((signal) => http.POST("/api/offices/{id}/undo", { params: at(id), body: { revision }, signal })),
  history: (id: number) => ask((signal) => http.GET("/api/offices/{id}/history", { params: at(id), signal })),
  explain: (id: number, ports: string[], vlan: number) =>
    ask((signal) =>
      http.GET("/api/offices/{id}/explain", {
        params: { path: { id }, query: { ports: ports.join(",") || undefined, vlan: vlan || undefined } },
        signal,
      }),
    ),
};

/** What the stream of edits tells. */
export interface Listener {
  edit(view: Office): void;
  at(revision: number): void;
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
    source = new EventSource(`/api/offices/${id}/events`);
    source.addEventListener("at", (e) => (alive(), l.at(Number(e.data))));
    source.addEventListener("edit", (e) => (alive(), l.edit(JSON.parse(e.data) as Office)));
    source.addEventListener("beat", alive);
    source.onerror = reopen;
  };
  open();
  return () => {
    closed = true;
    clearTimeout(watch);
    clearTimeout(again);
    source.close();
  };
}
