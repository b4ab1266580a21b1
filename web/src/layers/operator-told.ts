import type { Value } from "../api/client";
import { shownNumber } from "../document/values";

/** What an operator does, in a line: how it is heard, and who acts on it. */
export function told(
  operator: Record<string, Value>,
  acting: { name: string; amount: number }[],
): string {
  const level = Number(operator.level);
  const heard = level <= -80 ? "not heard itself" : `heard at ${shownNumber(level, 1)} dB`;
  const tuned =
    operator.wave === "noise"
      ? "noise"
      : operator.tuned === "fixed"
        ? `at ${shownNumber(Number(operator.hertz))} Hz`
        : `at ${shownNumber(Number(operator.ratio))} times the note`;
  const acted = acting.map((a) => `${a.name} acts on it by ${shownNumber(a.amount)} rad`);
  return [tuned, heard, ...acted].join("; ");
}
