import type { Time, Value } from "../api/client";
import type { Parameter } from "./catalogue";

const MINUS = "−";

export function isTime(value: Value): value is Time {
  return typeof value === "object" && !Array.isArray(value);
}

const NOTE_NAMES = ["C", "C♯", "D", "E♭", "E", "F", "F♯", "G", "A♭", "A", "B♭", "B"];

/** A key with fractions as a note and cents: 60.12 is C4 +12 ct. */
export function keyName(key: number): string {
  const whole = Math.round(key);
  const cents = Math.round((key - whole) * 100);
  const name = `${NOTE_NAMES[((whole % 12) + 12) % 12]}${Math.floor(whole / 12) - 1}`;
  if (cents === 0) return name;
  return `${name} ${cents < 0 ? MINUS : "+"}${Math.abs(cents)} ct`;
}

/** A key from a note name with cents, or a number; null if it makes no sense. */
export function parsedKey(text: string): number | null {
  const plain = text.trim().replaceAll(MINUS, "-").replaceAll("♯", "#").replaceAll("♭", "b");
  const note = /^([a-gA-G])([#b]?)(-?\d+)(?:\s*([+-]\s*\d+(?:\.\d+)?)\s*(?:ct)?)?$/.exec(plain);
  let key: number;
  if (note) {
    const base = { c: 0, d: 2, e: 4, f: 5, g: 7, a: 9, b: 11 }[note[1]?.toLowerCase() ?? "c"] ?? 0;
    const shift = note[2] === "#" ? 1 : note[2] === "b" ? -1 : 0;
    key = base + shift + 12 * (Number(note[3]) + 1);
    if (note[4]) key += Number(note[4].replaceAll(" ", "")) / 100;
  } else if (/^\d+(\.\d+)?$/.test(plain)) key = Number(plain);
  else return null;
  return key >= 0 && key <= 127 ? key : null;
}

/** The frequency of a key with fractions, in equal temperament over an A4 of 440 Hz (ISO 16). */
export function keyHertz(key: number): number {
  return Number((440 * 2 ** ((key - 69) / 12)).toFixed(3));
}

/** A number as it is shown: a true minus, three significant digits or so, no needless zeros. */
export function shownNumber(value: number, digits?: number): string {
  if (!Number.isFinite(value)) return value < 0 ? `${MINUS}∞` : "∞";
  const size = Math.abs(value);
  const places = digits ?? (size >= 100 ? 0 : size >= 10 ? 1 : size >= 1 ? 2 : 3);
  const text = Number(value.toFixed(places)).toString();
  return text.replace("-", MINUS);
}

/** Seconds as minutes and seconds, with tenths where asked. */
export function clock(seconds: number, tenths = false): string {
  const safe = Math.max(0, seconds);
  const rounded = tenths ? Math.floor(safe * 10) / 10 : Math.floor(safe);
  const minutes = Math.floor(rounded / 60);
  const rest = rounded - minutes * 60;
  const text = tenths ? rest.toFixed(1).padStart(4, "0") : String(rest).padStart(2, "0");
  return `${minutes}:${text}`;
}

/** A length of time in words of the trade: 0.22 s, 9.5 s, 1 min 44 s, 1 h. */
export function span(seconds: number): string {
  if (seconds < 60) return `${shownNumber(seconds)} s`;
  if (seconds < 3600) {
    const rest = Math.round(seconds % 60);
    return rest === 0
      ? `${Math.floor(seconds / 60)} min`
      : `${Math.floor(seconds / 60)} min ${rest} s`;
  }
  const rest = Math.round((seconds % 3600) / 60);
  return rest === 0
    ? `${Math.floor(seconds / 3600)} h`
    : `${Math.floor(seconds / 3600)} h ${rest} min`;
}

export function shownTime(time: Time): string {
  if (time.unit === "beats") return `${shownNumber(time.value)} beats`;
  if (time.unit === "hold") return `${shownNumber(time.value * 100)} % of note`;
  return span(time.value);
}

/** A parameter's value with its unit, as the screen and a screen reader give it. */
export function shown(parameter: Parameter, value: Value): string {
  if (parameter.kind === "choice") {
    return parameter.choices.find((choice) => choice.value === value)?.name ?? String(value);
  }
  if (parameter.kind === "switch") return value ? "On" : "Off";
  if (Array.isArray(value)) return value.map((number) => shownNumber(number)).join("  ");
  if (isTime(value)) return shownTime(value);
  if (parameter.display === "note") return keyName(Number(value));
  return withUnit(Number(value), parameter.unit);
}

export function withUnit(value: number, unit: string): string {
  if (unit === "dB" && value <= -80) return `${MINUS}∞ dB`;
  if (unit === "Hz" && value >= 10_000) return `${shownNumber(value / 1000)} kHz`;
  const digits = unit === "%" || unit === "Hz" ? (Math.abs(value) < 10 ? 1 : 0) : undefined;
  return unit ? `${shownNumber(value, digits)} ${unit}` : shownNumber(value);
}

/** A route's depth with its sign and unit; both ways where bipolar, ∓ where it goes against. */
export function shownDepth(depth: number, unit: string, bipolar: boolean): string {
  const [along, against] = bipolar ? ["±", "∓"] : ["+", MINUS];
  return `${depth < 0 ? against : along} ${shownNumber(Math.abs(depth))} ${unit}`.trim();
}

/** Numbers somebody typed, kept in the parameter's range; null if one makes no sense. */
export function parsedNumbers(parameter: Parameter, text: string): number[] | null {
  const words = text
    .replaceAll(MINUS, "-")
    .split(/[\s,;]+/)
    .filter((word) => word !== "");
  const found = words.map(Number);
  if (found.some(Number.isNaN) || found.length > parameter.most) return null;
  return found.map((number) => Math.min(parameter.high, Math.max(parameter.low, number)));
}

/** The range of a value: of a time, in its own unit. */
export function range(parameter: Parameter, value: Value): { low: number; high: number } {
  if (isTime(value) && value.unit !== "s") {
    const high = value.unit === "beats" ? parameter.most_beats : parameter.most_hold;
    return { low: parameter.low > 0 ? 0.001 : 0, high };
  }
  return { low: parameter.low, high: parameter.high };
}

/** A value kept in the parameter's range, whole where the parameter is. */
export function kept(parameter: Parameter, value: Value): Value {
  const { low, high } = range(parameter, value);
  if (isTime(value)) return { ...value, value: Math.min(high, Math.max(low, value.value)) };
  if (typeof value !== "number") return value;
  const whole = parameter.kind === "integer" ? Math.round(value) : value;
  return Math.min(high, Math.max(low, whole));
}

/** Whether a range is laid out by the root, with more room for what is small. */
function rooted(parameter: Parameter): boolean {
  return parameter.kind === "time" || parameter.scale === "squared";
}

/** Where a number lies in its range, 0 to 1, along the parameter's scale. */
export function fraction(parameter: Parameter, number: number, low: number, high: number): number {
  const clamped = Math.min(high, Math.max(low, number));
  if (parameter.scale === "logarithmic" && high > 0) {
    // A range that begins at zero is laid out from a thousandth of its end on.
    const from = low > 0 ? low : high / 10_000;
    if (clamped <= from) return 0;
    return Math.log(clamped / from) / Math.log(high / from);
  }
  if (rooted(parameter)) return Math.sqrt((clamped - low) / (high - low));
  return (clamped - low) / (high - low);
}

/** The number at a fraction of the range; the inverse of `fraction`. */
export function atFraction(parameter: Parameter, part: number, low: number, high: number): number {
  const x = Math.min(1, Math.max(0, part));
  if (parameter.scale === "logarithmic" && high > 0) {
    const from = low > 0 ? low : high / 10_000;
    if (x <= 0) return low;
    return from * (high / from) ** x;
  }
  if (rooted(parameter)) return low + x * x * (high - low);
  return low + x * (high - low);
}

/** One step of a route's depth. */
export function depthStep(parameter: Parameter): number {
  if (parameter.depth_unit === "oct") return 0.1;
  return parameter.depth_limit / (parameter.scale === "squared" ? 1000 : 100);
}

export function asNumber(value: Value): number {
  return isTime(value) ? value.value : Number(value);
}

/** The value after a move by a fraction of the range, rounded to what is worth distinguishing. */
export function moved(parameter: Parameter, value: Value, by: number): Value {
  const { low, high } = range(parameter, value);
  const part = fraction(parameter, asNumber(value), low, high) + by;
  const next = rounded(atFraction(parameter, part, low, high));
  return kept(parameter, isTime(value) ? { ...value, value: next } : next);
}

/** One step of an arrow key. */
export function stepped(
  parameter: Parameter,
  value: Value,
  direction: number,
  size: number,
): Value {
  if (parameter.kind === "integer") {
    return kept(parameter, Number(value) + direction * Math.max(1, Math.round(size * 2)));
  }
  return moved(parameter, value, direction * size * 0.01);
}

export function rounded(value: number): number {
  if (value === 0) return 0;
  const digits = Math.max(0, 3 - Math.floor(Math.log10(Math.abs(value))));
  return Number(value.toFixed(Math.min(digits, 6)));
}
