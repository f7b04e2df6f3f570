import { describe, expect, it } from "vitest";
import { standIn } from "./page.stub";

standIn();

describe("addresses", () => {
  it.each([
    ["/", "", -1, "board"],
    ["/offices", "", 0, "board"],
    ["/7", "", 7, "board"],
    ["/7/reach", "?vlan=130", 7, "reach"],
    ["/7/nowhere", "", 7, "board"],
    ["/-3/reach", "", -1, "board"],
    ["/1.5", "", -1, "board"],
    ["/<b>", "", -1, "board"],
  ])("%s", async (path, search, office, view) => {
    const { parse } = await import("./place.svelte");
    const at = parse(path, search);
    expect([at.office, at.view]).toEqual([office, view]);
  });

  it("go there and back with what was asked", async () => {
    const { place, parse } = await import("./place.svelte");
    const href = place.href("walk", { from: 'lobby."Waiting room"', wire: 130 });
    const url = new URL(href, "http://x");
    const at = parse(url.pathname, url.search);
    expect([at.office, at.view, at.query.get("from"), at.query.get("wire")]).toEqual([1, "walk", 'lobby."Waiting room"', "130"]);
    place.go("/2/plans?plan=a");
    expect(place.now.office).toBe(2);
    expect(place.href("board")).toBe("/2");
  });
});
