import { expect, test } from "vitest";
import { says } from "./says";

test.each([
  ["rack 19: 190 [120 130]", "set rack 19 to VLAN 190 untagged, 120 130 tagged"],
  ["rack 19: 190 [needed]", "set rack 19 to VLAN 190 untagged, whatever VLANs are needed on its cable tagged"],
  ["rack 19: -", "set rack 19 to no VLAN at all"],
  ["rack 19: [20] admit tagged", "set rack 19 to 20 tagged, admit tagged"],
  ["-west 6", "west 6 says nothing of its own any more: its port plan holds there again"],
  ["-cable a.1 b.2", "remove the cable from a 1 to b 2"],
  ["-vlan 30", "take VLAN 30 off the register"],
  ["anything else", "anything else"],
])("%s is said as %s", (line, words) => expect(says(line)).toBe(words));
