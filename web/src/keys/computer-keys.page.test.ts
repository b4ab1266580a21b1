import { describe, expect, it } from "vitest";
import { midiKey, writing } from "./computer-keys";

describe("the computer keyboard", () => {
  it("is a piano from C", () => {
    expect(midiKey("KeyA", 48)).toBe(48);
    expect(midiKey("KeyW", 48)).toBe(49);
    expect(midiKey("KeyK", 48)).toBe(60);
    expect(midiKey("KeyQ", 48)).toBeNull();
    expect(midiKey("Semicolon", 120)).toBeNull();
  });

  it("leaves letters to those who write", () => {
    expect(writing(document.createElement("input"))).toBe(true);
    expect(writing(document.createElement("button"))).toBe(false);
    expect(writing(null)).toBe(false);
  });
});
