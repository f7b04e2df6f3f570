import { beforeEach, vi } from "vitest";

/** A stand-in for the parts of the page that state touches, fresh for every test: what is kept in the browser. */
export function standIn(): Map<string, string> {
  const kept = new Map<string, string>();

  beforeEach(() => {
    vi.resetModules();
    kept.clear();
    vi.stubGlobal("location", { pathname: "/1", search: "", href: "http://x/1", origin: "http://x" });
    vi.stubGlobal("addEventListener", () => undefined);
    vi.stubGlobal("removeEventListener", () => undefined);
    vi.stubGlobal("history", { pushState: () => undefined, replaceState: () => undefined });
    vi.stubGlobal("localStorage", { getItem: (k: string) => kept.get(k) ?? null, setItem: (k: string, v: string) => kept.set(k, v) });
    return () => vi.unstubAllGlobals();
  });
  return kept;
}
