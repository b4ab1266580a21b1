import { readFileSync } from "node:fs";
import { describe, expect, it } from "vitest";
import { channels, colour } from "./colours";

const sheet = readFileSync("src/styles.css", "utf8");

describe("colours of canvases", () => {
  it("are those of the style sheet, in six digits", () => {
    const source = readFileSync("src/ui/colours.ts", "utf8");
    const names = [...source.matchAll(/^ {2}\| "(.*?)"/gm)].map((found) => found[1]);
    expect(names.length).toBeGreaterThan(5);
    for (const name of names) expect(sheet).toMatch(new RegExp(`--color-${name}: #[0-9a-f]{6};`));
  });

  it("are read as red, green and blue", () => {
    document.documentElement.style.setProperty("--color-warn", "#8a2f12");
    expect(colour("warn")).toBe("#8a2f12");
    expect(channels("warn")).toEqual([0x8a, 0x2f, 0x12]);
    expect(channels("mist")).toEqual([0, 0, 0]);
  });
});
