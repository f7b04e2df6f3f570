import type { Vlan } from "../api/client";

/** What became of a VLAN, in a word, and in a sentence for who asks: the same in every view. */
export function stateOf(v: Pick<Vlan, "state" | "parts" | "only">): [string, string] {
  switch (v.state) {
    case "split":
      return [`${v.parts} parts`, `its users are in ${v.parts} parts that do not reach each other`];
    case "merged":
      return ["merged", "its frames arrive in another VLAN too"];
    case "whole":
      return v.only ? [`${v.only} only`, `nobody is in it but the ${v.only}`] : ["whole", "all its users reach each other"];
  }
  return v.only ? [v.only, "only ports that are put away are in it: nobody is there"] : ["unused", "nobody is in it"];
}
