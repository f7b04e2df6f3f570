import { expect, it } from "vitest";

const all = import.meta.glob<string>("../**/*.svelte", { query: "?raw", import: "default", eager: true });

// What is Klammer's own is drawn by hand: the board, fronts and the line.
const own = /^\.\.\/(board|front|line)\//;

it("has every ordinary part of a screen from the library", () => {
  const plain: string[] = [];
  for (const [path, text] of Object.entries(all)) {
    if (own.test(path)) continue;
    if (/\b(confirm|alert|prompt)\(/.test(text)) plain.push(`${path}: a dialog of the browser`);
    for (const m of text.matchAll(/<(button|input|select|textarea|table)[\s>]/g)) plain.push(`${path}: <${m[1]}>`);
  }
  expect(Object.keys(all).length).toBeGreaterThan(60);
  expect(plain).toEqual([]);
});

it("has nothing in a view's style that reaches other views", () => {
  const wide: string[] = [];
  for (const [path, text] of Object.entries(all)) {
    const style = text.slice(text.indexOf("<style"));
    for (const m of style.matchAll(/^\s*:global\([^)]*\)\s*[,{]/gm)) wide.push(`${path}: ${m[0].trim()}`);
  }
  expect(wide).toEqual([]);
});
