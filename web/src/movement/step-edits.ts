/** Edits of a step pattern's lists, which may be shorter than its values. */

export interface Pattern {
  values: number[];
  bends: number[];
  chances: number[];
  ties: number[];
}

export const NORMAL = { bends: 0, chances: 100, ties: 0 } as const;
type Extra = keyof typeof NORMAL;

/** The pattern with an entry for each step in every list. */
export function filled(pattern: Pattern): Pattern {
  const count = pattern.values.length;
  const list = (key: Extra) =>
    Array.from({ length: count }, (_, i) => pattern[key][i] ?? NORMAL[key]);
  return {
    values: pattern.values,
    bends: list("bends"),
    chances: list("chances"),
    ties: list("ties"),
  };
}

/** The pattern with as little written as says the same: lists of what is normal are empty. */
export function short(pattern: Pattern): Pattern {
  const list = (key: Extra) =>
    pattern[key].every((value) => value === NORMAL[key]) ? [] : pattern[key];
  return {
    values: pattern.values,
    bends: list("bends"),
    chances: list("chances"),
    ties: list("ties"),
  };
}

export function withStep(
  pattern: Pattern,
  index: number,
  key: keyof Pattern,
  value: number,
): Pattern {
  const all = filled(pattern);
  return short({ ...all, [key]: all[key].map((v, i) => (i === index ? value : v)) });
}

/** The pattern made longer by repeating it, or shorter from its end. */
export function resized(pattern: Pattern, count: number): Pattern {
  const all = filled(pattern);
  const before = Math.max(1, all.values.length);
  const list = (values: number[]) =>
    Array.from({ length: count }, (_, i) => values[i % before] ?? 0);
  return short({
    values: list(all.values),
    bends: list(all.bends),
    chances: list(all.chances),
    ties: list(all.ties),
  });
}

/** All steps moved round by one. */
export function turned(pattern: Pattern, by: number): Pattern {
  const all = filled(pattern);
  const count = all.values.length;
  const list = (values: number[]) =>
    values.map((_, i) => values[(((i - by) % count) + count) % count] ?? 0);
  return short({
    values: list(all.values),
    bends: list(all.bends),
    chances: list(all.chances),
    ties: list(all.ties),
  });
}

/** New values, evenly drawn; `random` gives numbers from 0 to 1. */
export function rolled(pattern: Pattern, random: () => number): Pattern {
  return { ...pattern, values: pattern.values.map(() => Math.round(random() * 200 - 100)) };
}
