// Writes the notices of everything that is built into the program: what is said of each Go
// module, of which a folder has the licences (its first argument), and of each package that
// the pages are made of.
import { readFileSync, readdirSync, statSync } from "node:fs";
import { join, relative } from "node:path";
import { init } from "license-checker-rseidelsohn";

const folder = process.argv[2];
const texts = new Map(); // by text, so that each is told once
const add = (name, text) => {
  text = text.replace(/\r\n/g, "\n").trim();
  texts.set(text, [...(texts.get(text) ?? []), name]);
};

const walk = (dir) =>
  readdirSync(dir).flatMap((e) => {
    const path = join(dir, e);
    return statSync(path).isDirectory() ? walk(path) : [path];
  });
for (const path of walk(folder).sort())
  if (/licen[cs]e|notice|copying|copyright/i.test(path.split("/").at(-1))) {
    const module = relative(folder, path).split("/").slice(0, -1).join("/");
    add(`${module} (Go)`, readFileSync(path, "utf8"));
  }

const packages = await new Promise((done, fail) =>
  init({ start: import.meta.dirname, production: true, excludePrivatePackages: true }, (e, all) => (e ? fail(e) : done(all))),
);
for (const [name, p] of Object.entries(packages).sort())
  add(
    `${name.replace(/@[^@]*$/, "")} (npm)`,
    p.licenseFile && /licen[cs]e|copying/i.test(p.licenseFile) ? readFileSync(p.licenseFile, "utf8") : `Licence: ${p.licenses}\n${p.publisher ?? ""} ${p.repository ?? ""}`,
  );

console.log("Klammer is built with the work of others. What their licences ask to be told of it:");
for (const [text, names] of [...texts].sort((a, b) => (a[1][0] < b[1][0] ? -1 : 1))) {
  console.log(`\n${"=".repeat(72)}\n${names.sort().join("\n")}\n${"-".repeat(72)}\n\n${text}`);
}
