import { expect, it } from "vitest";

const all = import.meta.glob<string>("../**/*.svelte", { query: "?raw", import: "default", eager: true });
const sheets = import.meta.glob<string>(["../*/*.css"], { query: "?raw", import: "default", eager: true });

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

it("keeps style for what is Klammer's own: a view's is in the theme's utilities", () => {
  const lines = [
    ...Object.values(all).map((text) => text.match(/^<style>\n([^]*?)^<\/style>/m)?.[1] ?? ""),
    ...Object.values(sheets),
  ].flatMap((text) => text.split("\n"));
  expect(Object.values(sheets).join("").length).toBeGreaterThan(500);
  expect(lines.filter((l) => l.trim()).length).toBeLessThanOrEqual(1500);
});

it("says nothing of a part twice", () => {
  const twice: string[] = [];
  for (const [path, text] of Object.entries(all))
    for (const m of text.matchAll(/class="([^"]*)"/g)) {
      const words = m[1]!.split(/\s+/).filter((w) => !w.includes("{"));
      if (words.includes("noprint") && words.includes("print:hidden")) twice.push(`${path}: ${m[1]}`);
      if (new Set(words).size < words.length) twice.push(`${path}: ${m[1]}`);
    }
  expect(twice).toEqual([]);
});
