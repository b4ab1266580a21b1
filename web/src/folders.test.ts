import { readdirSync, readFileSync } from "node:fs";
import { join, normalize, sep } from "node:path";
import { expect, it } from "vitest";

const ROOT = join(__dirname);

function files(folder: string): string[] {
  return readdirSync(folder, { recursive: true })
    .map(String)
    .filter((name) => /\.tsx?$/.test(name) && !name.includes(".test."));
}

/** Which folders each folder imports from. */
function imports(): Map<string, Set<string>> {
  const found = new Map<string, Set<string>>();
  for (const name of files(ROOT)) {
    const [folder, rest] = name.split(sep);
    if (!folder || !rest) continue; // what starts the app may import everything
    const text = readFileSync(join(ROOT, name), "utf8");
    for (const [, path] of text.matchAll(/from "(\.[^"]+)"/g)) {
      const target = normalize(join(name, "..", path ?? "")).split(sep)[0] ?? "";
      if (target === folder) continue;
      found.set(folder, (found.get(folder) ?? new Set()).add(target));
    }
  }
  return found;
}

/** A circle of folders that import each other, or nothing. */
function circle(needed: Map<string, Set<string>>): string[] {
  const done = new Set<string>();
  const visit = (name: string, path: string[]): string[] => {
    if (path.includes(name)) return [...path.slice(path.indexOf(name)), name];
    if (done.has(name)) return [];
    for (const next of needed.get(name) ?? []) {
      const found = visit(next, [...path, name]);
      if (found.length > 0) return found;
    }
    done.add(name);
    return [];
  };
  for (const name of needed.keys()) {
    const found = visit(name, []);
    if (found.length > 0) return found;
  }
  return [];
}

/** Which files each file imports from, for types too. */
function fileImports(): Map<string, Set<string>> {
  const names = new Set(files(ROOT));
  const found = new Map<string, Set<string>>();
  for (const name of names) {
    const text = readFileSync(join(ROOT, name), "utf8");
    const targets = [...text.matchAll(/from "(\.[^"]+)"/g)].flatMap(([, path]) => {
      const target = normalize(join(name, "..", path ?? ""));
      return [`${target}.ts`, `${target}.tsx`].filter((file) => names.has(file));
    });
    found.set(name, new Set(targets));
  }
  return found;
}

it("finds no circle of files", () => {
  const needed = fileImports();
  expect(needed.get("app.tsx")).toContain(join("sheet", "Sheet.tsx"));
  expect(circle(needed)).toEqual([]);
});

it("finds no circle of folders", () => {
  const needed = imports();
  expect(needed.get("layers")).toContain("strips");
  expect(circle(needed)).toEqual([]);
});

it("would find one", () => {
  const needed = new Map([
    ["a", new Set(["b"])],
    ["b", new Set(["c"])],
    ["c", new Set(["b"])],
  ]);
  expect(circle(needed)).toEqual(["b", "c", "b"]);
});
