import type { Value } from "../api/client";
import { shownNumber } from "../document/values";

/** An operator in a line: its pitch, its output level, and what modulates it. */
export function summary(
  operator: Record<string, Value>,
  modulators: { name: string; amount: number }[],
): string {
  const level = Number(operator.level);
  const output = level <= -80 ? "no output" : `output ${shownNumber(level, 1)} dB`;
  const pitch =
    operator.wave === "noise"
      ? "noise"
      : operator.tuned === "fixed"
        ? `at ${shownNumber(Number(operator.hertz))} Hz`
        : `at ${shownNumber(Number(operator.ratio))} times the note`;
  const modulated = modulators.map((m) => `modulated by ${m.name}, ${shownNumber(m.amount)} rad`);
  return [pitch, output, ...modulated].join("; ");
}
