import { describe, expect, it } from "vitest";
import type { Column } from "../board/fold";
import { standIn } from "./page.stub";

standIn();

describe("cells on their way", () => {
  const column = (...ports: string[]) => ({ ports }) as Column;

  it("show until they land, the later over the earlier", async () => {
    const { flights } = await import("./flights.svelte");
    const cs = [column("a.1", "a.2"), column("a.3"), column("b.1")];
    const first = flights.start([10, 20], ["a.1", "a.2", "a.3"], "tagged");
    const second = flights.start([10], ["a.3"], "none");
    expect(flights.of(10, cs)).toBe("T- ");
    expect(flights.of(20, cs)).toBe("TT ");
    expect(flights.of(30, cs)).toBe("");
    first();
    expect(flights.of(10, cs)).toBe(" - ");
    second();
    expect(flights.of(10, cs)).toBe("");
  });
});
