import { expect, it } from "vitest";
import { keywords } from "../api/words";
import { quote, setting } from "./quote";

it("puts a port that is named like a word of the notation in quotes", () => {
  for (const w of keywords) expect(quote(w)).toBe(`"${w}"`);
  expect(setting(["rack.vlan", "rack.1", "core.2"], "110")).toEqual(['rack "vlan",1: 110', "core 2: 110"]);
});
