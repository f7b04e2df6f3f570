import { describe, expect, it } from "vitest";
import type { Office } from "../api/client";
import { accept, complete } from "./complete";
import { ref, runs, setting } from "./quote";

const office = {
  devices: [
    { name: "rack", ports: [{ name: "1" }, { name: "2" }, { name: "13", bundle: "store" }, { name: "store" }] },
    { name: "lobby", ports: [{ name: "eth0" }, { name: "Waiting room" }] },
  ],
  vlans: [
    { vid: 110, name: "reception", registered: true },
    { vid: 120, name: "surgery", registered: true },
    { vid: 777, name: "", registered: false },
  ],
  uses: [{ name: "desk" }],
  plans: [{ name: "ward-8" }],
} as unknown as Office;

const at = (text: string) => complete(text, text.length, office).options;

describe("what fits where the caret is", () => {
  it.each([
    ["ra", ["rack"]],
    ["-", ["-vlan", "-use", "-plan", "-device", "-cable", "-plug", "-service", "-must", "-never", "-rack", "-lobby"]],
    ["rack s", ["store", "stateless", "stateful"]],
    ["rack 1: ", ["use", "off", "110", "reception", "120", "surgery", "all", "needed", "because"]],
    ["rack 1: use ", ["desk"]],
    ["rack 1: 110 [s", ["surgery"]],
    ["cable ra", ["rack."]],
    ["cable rack.1 lobby.W", ['lobby."Waiting room"']],
    ["bring 110 ", ["to"]],
    ["bring 110 to rack.s", ["rack.store"]],
    ["rename v", ["vlan"]],
    ["follow lobby ", ["ward-8"]],
    ["device x switch follows ", ["ward-8"]],
    ['plug rack.1 "a pc" wants r', ["reception"]],
    ["vlan 130 lab; rack 1: ", ["use", "off", "110", "reception", "120", "surgery", "all", "needed", "because"]],
    ["never recep", ["reception"]],
    ["deny reception t", ["to", "tcp/"]],
    ["rack allow out", ["outside"]],
    ['plug rack.1 "ra', []],
    ["rack wording by-v", ["by-vlan"]],
  ])("%s", (text, want) => expect(at(text)).toEqual(want));

  it("puts an option where the word stands", () => {
    const c = complete("cable ra", 8, office);
    expect(accept("cable ra", 8, c, c.options[0]!)).toEqual({ text: "cable rack.", caret: 11 });
    const d = complete("rack 1: 110 [s]", 14, office);
    expect(accept("rack 1: 110 [s]", 14, d, "surgery")).toEqual({ text: "rack 1: 110 [surgery ]", caret: 21 });
  });
});

it("says settings by device, with names in quotes where they need them", () => {
  expect(setting(["rack.1", "rack.2", "lobby.Waiting room"], "110")).toEqual(["rack 1,2: 110", 'lobby "Waiting room": 110']);
  expect(ref("lobby.Waiting room")).toBe('lobby."Waiting room"');
});

it("draws neighbouring ports together", () => {
  expect(runs(["1", "2", "3", "7", "lan1", "lan2", "up", "9"])).toEqual(["1–3", "7", "lan1–lan2", "up", "9"]);
});
