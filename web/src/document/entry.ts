/** What somebody types for a value: a number with a unit that fits, a note, or a change of it. */

import type { Time, Value } from "../api/client";
import type { Parameter } from "./catalogue";
import { asNumber, isTime, keyHertz, parsedKey } from "./values";

const MINUS = "−";
const NUMBER = /^([+-]?\d*\.?\d+)\s*(.*)$/;
const CHANGE = /^([+-])=?\s*(\d*\.?\d+)\s*(.*)$/;
const TIMES = /^([*x×/])\s*(\d*\.?\d+)$/;
const NOTE = /^[a-g][#b]?-?\d/;
/** By a parameter's unit, what may be written for it, and how much of the unit one of it is. */
const UNITS: Record<string, Record<string, number>> = {
  Hz: { hz: 1, k: 1000, khz: 1000 },
  dB: { db: 1 },
  "%": { "%": 1, percent: 1 },
  ct: { ct: 1, cent: 1, cents: 1, st: 100, semitone: 100, semitones: 100, oct: 1200 },
  st: { st: 1, semitone: 1, semitones: 1, ct: 0.01, oct: 12 },
  oct: { oct: 1, octave: 1, octaves: 1, st: 1 / 12 },
  ms: { ms: 1, s: 1000 },
  s: { s: 1, ms: 0.001, min: 60 },
  "°": { "°": 1, deg: 1, degrees: 1 },
};
/** Octaves of what changes a frequency by an interval. */
const INTERVALS: Record<string, number> = {
  oct: 1,
  octave: 1,
  octaves: 1,
  st: 1 / 12,
  semitone: 1 / 12,
  semitones: 1 / 12,
  ct: 1 / 1200,
  cents: 1 / 1200,
};

/** How much of a parameter's unit one of a written unit is; null if it is no unit of it. */
function factor(parameter: Parameter, unit: string): number | null {
  if (unit === "") return 1;
  const known = UNITS[parameter.unit] ?? { [parameter.unit.toLowerCase()]: 1 };
  return parameter.unit === "" ? null : (known[unit] ?? null);
}

/** Whether a multiple of a value makes sense: not of decibels, keys or what has two sides. */
function multiplies(parameter: Parameter): boolean {
  return parameter.low >= 0 && parameter.unit !== "dB" && parameter.display === "unit";
}

/** A number after a change that was typed, such as `+1 oct`, `-10 %`, `+= 3 dB`, `*2`. */
function changed(parameter: Parameter, plain: string, before: number): number | null | undefined {
  const times = TIMES.exec(plain);
  if (times) {
    const by = Number(times[2]);
    if (!multiplies(parameter) || by === 0) return null;
    return times[1] === "/" ? before / by : before * by;
  }
  const change = CHANGE.exec(plain);
  if (!change) return undefined;
  const sign = change[1] === "-" ? -1 : 1;
  const by = sign * Number(change[2]);
  const unit = (change[3] ?? "").trim();
  const octaves = INTERVALS[unit];
  if (octaves !== undefined && factor(parameter, unit) === null) {
    return parameter.scale === "logarithmic" ? before * 2 ** (by * octaves) : null;
  }
  if (unit === "db" && parameter.unit === "%" && parameter.low >= 0)
    return before * 10 ** (by / 20);
  // Where values have signs, a sign alone is the value's own.
  const explicit = plain.slice(1).trimStart().startsWith("=");
  if (!explicit && parameter.low < 0) return undefined;
  if (!explicit && unit === "" && sign > 0) return undefined;
  const each = factor(parameter, unit);
  return each === null ? null : before + by * each;
}

/**
 * What somebody typed, as a value; null if it makes no sense, or its unit is that of something
 * else. It is not yet kept in range.
 */
export function parsed(parameter: Parameter, text: string, current: Value): Value | null {
  const plain = text.trim().replaceAll(MINUS, "-").replace(",", ".").toLowerCase();
  if (parameter.unit === "dB" && /^-?(∞|inf)/.test(plain)) return parameter.low;
  if (parameter.display === "note") return parsedKey(text);
  if (parameter.unit === "Hz" && NOTE.test(plain.replaceAll("♯", "#").replaceAll("♭", "b"))) {
    const key = parsedKey(text);
    return key === null ? null : keyHertz(key);
  }
  if (isTime(current)) {
    const times = TIMES.exec(plain);
    const by = Number(times?.[2]);
    if (times && by > 0) {
      return { ...current, value: current.value * (times[1] === "/" ? 1 / by : by) };
    }
  } else {
    const found = changed(parameter, plain, asNumber(current));
    if (found !== undefined) return found;
  }
  const colon = /^(\d+):(\d{1,2}(?:\.\d+)?)$/.exec(plain);
  if (colon && parameter.kind === "time") {
    return { value: Number(colon[1]) * 60 + Number(colon[2]), unit: "s" };
  }
  const match = NUMBER.exec(plain);
  if (!match?.[1]) return null;
  const amount = Number(match[1]);
  const unit = (match[2] ?? "").trim();
  if (parameter.kind === "time") return parsedTime(amount, unit, current);
  const each = factor(parameter, unit);
  return each === null ? null : amount * each;
}

function parsedTime(amount: number, unit: string, current: Value): Time | null {
  const before = isTime(current) ? current.unit : "s";
  if (unit === "")
    return before === "hold"
      ? { value: amount / 100, unit: before }
      : { value: amount, unit: before };
  if (/^(s|sec|seconds?)$/.test(unit)) return { value: amount, unit: "s" };
  if (/^ms$/.test(unit)) return { value: amount / 1000, unit: "s" };
  if (/^(m|min|minutes?)$/.test(unit)) return { value: amount * 60, unit: "s" };
  if (/^(h|hours?)$/.test(unit)) return { value: amount * 3600, unit: "s" };
  if (/^(b|beats?)$/.test(unit)) return { value: amount, unit: "beats" };
  if (/^(%|hold|% of note|note)$/.test(unit)) return { value: amount / 100, unit: "hold" };
  return null;
}

/** What would do for a parameter, in words: its value as it stands, and changes that fit. */
export function wouldDo(parameter: Parameter, now: string): string {
  const more: string[] = [];
  if (parameter.kind === "time") more.push("1:30", "4 beats");
  else if (parameter.unit === "Hz") more.push("C4", "+1 oct");
  if (parameter.kind === "time" || multiplies(parameter)) more.push("*2");
  else if (parameter.unit === "dB") more.push("+= 3 dB");
  return [now, ...more].join(", ");
}
