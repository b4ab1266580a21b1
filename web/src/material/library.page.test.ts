import { describe, expect, it } from "vitest";
import { inverse, isAudio, type RecordingCard, type TableCard } from "./library";

const card = {
  kind: "recording",
  key: "0123456789abcdef",
  name: "Wire",
  root: 43,
  detected: 43,
  loop: { start: 1, end: 2, fade: 0.1 },
  steps: [{ do: "reverse" }],
} as unknown as RecordingCard;

describe("a change of a card", () => {
  it("is taken back by what was there before", () => {
    expect(inverse(card, { name: "Other" })).toEqual({ name: "Wire" });
    expect(inverse(card, { steps: [] })).toEqual({ steps: card.steps });
    expect(inverse(card, { root: 50 })).toEqual({ root: 43 });
    expect(inverse(card, { no_root: true })).toEqual({ root: 43 });
    expect(inverse(card, { no_loop: true })).toEqual({ loop: card.loop });
  });

  it("is taken back to nothing where nothing was", () => {
    const bare = { ...card, root: null, loop: null } as unknown as RecordingCard;
    expect(inverse(bare, { root: 50, loop: { start: 0, end: 1, fade: 0 } })).toEqual({
      no_root: true,
      no_loop: true,
    });
  });

  it("of a table is of its name alone", () => {
    const table = { kind: "table", name: "Vowel" } as unknown as TableCard;
    expect(inverse(table, { name: "Other", root: 3 })).toEqual({ name: "Vowel" });
  });
});

describe("files", () => {
  it("are audio by their ending or their type", () => {
    expect(isAudio(new File([], "gale.FLAC"))).toBe(true);
    expect(isAudio(new File([], "take", { type: "audio/x-wav" }))).toBe(true);
    expect(isAudio(new File([], "cue.mid"))).toBe(false);
  });
});
