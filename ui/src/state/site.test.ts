import { expect, it } from "vitest";
import { siteOf, sitesOf } from "./site";

const at = (place?: string) => ({ facts: place === undefined ? undefined : { place } }) as { facts?: Record<string, string> };

it("takes the first word of a place for the site, and asks for one only where there are several", () => {
  expect(siteOf(at("harbour/server room"))).toBe("harbour");
  expect(siteOf(at())).toBe("");
  expect(sitesOf([at("harbour/cellar"), at("harbour/attic"), at()])).toEqual([]);
  expect(sitesOf([at("mill"), at(), at("harbour/attic"), at("mill/yard")])).toEqual(["harbour", "mill", ""]);
});
