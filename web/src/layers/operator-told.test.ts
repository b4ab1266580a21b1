import { describe, expect, it } from "vitest";
import { told } from "./operator-told";

const operator = { wave: "sine", tuned: "ratio", ratio: 2, hertz: 110, level: 0 };

describe("what an operator does", () => {
  it("is told in a line, with who acts on it", () => {
    expect(told(operator, [])).toBe("at 2 times the note; heard at 0 dB");
    expect(told({ ...operator, level: -80 }, [{ name: "Operator 3", amount: 1.5 }])).toBe(
      "at 2 times the note; not heard itself; Operator 3 acts on it by 1.5 rad",
    );
    expect(told({ ...operator, tuned: "fixed" }, [{ name: "itself", amount: 0.5 }])).toBe(
      "at 110 Hz; heard at 0 dB; itself acts on it by 0.5 rad",
    );
    expect(told({ ...operator, wave: "noise" }, [])).toContain("noise");
  });
});
