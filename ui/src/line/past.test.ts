import { describe, expect, it } from "vitest";
import { standIn } from "../state/page.stub";

const kept = standIn();

describe("what was typed before", () => {
  it("comes back, the newest first, and goes forth to what is being typed", async () => {
    const { past } = await import("./past.svelte");
    past.add("one");
    past.add("two");
    past.add("one");
    expect(past.turn(1, "half")).toBe("one");
    expect(past.turn(1, "one")).toBe("two");
    expect(past.turn(1, "two")).toBeNull();
    expect(past.turn(-1, "two")).toBe("one");
    expect(past.turn(-1, "one")).toBe("half");
    expect(past.turn(-1, "half")).toBeNull();
    expect(JSON.parse(kept.get("klammer-line")!)).toEqual(["one", "two"]);
  });

  it("starts anew where what was kept cannot be read", async () => {
    kept.set("klammer-line", "{broken");
    const { past } = await import("./past.svelte");
    expect(past.turn(1, "")).toBeNull();
  });
});
