import { beforeEach, describe, expect, it, vi } from "vitest";
import type { Change, Finding, Office } from "../api/client";
import { standIn } from "./page.stub";

standIn();

const finding = (id: string) => ({ id, code: "split", severity: "breaks", vlans: [], ports: [], mends: [], text: id }) as Finding;
const view = (id: number, revision: number) => ({ id, revision, findings: [], devices: [] }) as unknown as Office;
const change = (more: Partial<Change>) => ({ findings: [], ...more }) as unknown as Change;

let mends: (typeof import("./mends.svelte"))["mends"];
let office: (typeof import("./office.svelte"))["office"];
let asked: string[][];
let answer: (ids: string[]) => Promise<{ finding: string; mends: string[][] }[]>;
const settled = () => new Promise((r) => setTimeout(r));

beforeEach(async () => {
  const client = await import("../api/client");
  asked = [];
  answer = async (ids) => ids.map((id) => ({ finding: id, mends: [[`mend ${id}`]] }));
  vi.spyOn(client.api, "mends").mockImplementation((_, ids) => (asked.push([...ids]), answer(ids)));
  office = (await import("./office.svelte")).office;
  mends = (await import("./mends.svelte")).mends;
  office.view = view(1, 1);
});

describe("mends", () => {
  it("of a page of findings are one request, and none for what is known", async () => {
    for (const id of ["a", "b", "c"]) expect(mends.of(finding(id))).toEqual([]);
    await settled();
    expect(asked).toEqual([["a", "b", "c"]]);
    expect(mends.of(finding("b"))).toEqual([["mend b"]]);
    await mends.get(finding("c"));
    expect(asked.length).toBe(1);
  });
  it("are known until an edit touches the finding", async () => {
    for (const id of ["a", "b", "c", "d"]) mends.of(finding(id));
    await settled();
    office.view = view(1, 2);
    office.onmerge?.(change({ stale: ["a"], gone: ["b"], findings: [finding("c")] }));
    expect(mends.of(finding("d"))).toEqual([["mend d"]]);
    for (const id of ["a", "b", "c"]) expect(mends.of(finding(id))).toEqual([]);
    await settled();
    expect(asked.at(-1)).toEqual(["a", "b", "c"]);
  });
  it("are tried again where the whole office may be otherwise", async () => {
    mends.of(finding("a"));
    await settled();
    office.view = view(1, 2);
    office.onmerge?.(change({ whole: true }));
    expect(mends.of(finding("a"))).toEqual([]);
    await settled();
    expect(asked).toEqual([["a"], ["a"]]);
  });
  it("that come after the office moved on are asked for again", async () => {
    answer = async (ids) => {
      office.view = view(1, 2);
      return ids.map((id) => ({ finding: id, mends: [["old"]] }));
    };
    mends.of(finding("a"));
    await settled();
    expect(mends.of(finding("a"))).toEqual([]);
    answer = async (ids) => ids.map((id) => ({ finding: id, mends: [["new"]] }));
    await settled();
    expect(mends.of(finding("a"))).toEqual([["new"]]);
  });
  it("of another office are others, and the past has none", async () => {
    mends.of(finding("a"));
    await settled();
    office.view = view(2, 1);
    mends.of(finding("a"));
    await settled();
    expect(asked.length).toBe(2);
    office.then = view(2, 0);
    expect(mends.of(finding("z"))).toEqual([]);
    expect(await mends.get(finding("z"))).toEqual([]);
    await settled();
    expect(asked.length).toBe(2);
  });
});
