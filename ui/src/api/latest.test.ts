import { expect, it } from "vitest";
import { latest } from "./latest";

it("lets only the newest answer through, whichever comes first", async () => {
  const newest = latest();
  const heard: string[] = [];
  const ask = (text: string, after: number, fails = false) =>
    newest(new Promise<string>((yes, no) => setTimeout(() => (fails ? no(text) : yes(text)), after))).then(
      (x) => heard.push(x),
      (e) => heard.push(`no ${e}`),
    );
  void ask("first", 20);
  void ask("second", 1, true);
  const third = ask("third", 5);
  await third;
  await new Promise((r) => setTimeout(r, 30));
  expect(heard).toEqual(["third"]);
  void ask("fourth", 1);
  newest.drop();
  await new Promise((r) => setTimeout(r, 10));
  expect(heard).toEqual(["third"]);
});
