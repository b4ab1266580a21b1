import { describe, expect, it } from "vitest";
import { summary } from "./operator-summary";

const operator = { wave: "sine", tuned: "ratio", ratio: 2, hertz: 110, level: 0 };

describe("the summary of an operator", () => {
  it("says its pitch, its level and what modulates it", () => {
    expect(summary(operator, [])).toBe("at 2 times the note; output 0 dB");
    expect(summary({ ...operator, level: -80 }, [{ name: "Operator 3", amount: 1.5 }])).toBe(
      "at 2 times the note; no output; modulated by Operator 3, 1.5 rad",
    );
    expect(summary({ ...operator, tuned: "fixed" }, [{ name: "itself", amount: 0.5 }])).toBe(
      "at 110 Hz; output 0 dB; modulated by itself, 0.5 rad",
    );
    expect(summary({ ...operator, wave: "noise" }, [])).toContain("noise");
  });
});
