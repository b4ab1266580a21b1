/** Bar lines, and where tempo or metre change. */

import type { Score } from "../api/client";
import { beatsAt, secondsAt } from "../document/tempo";

/** Bars are shown where they are no narrower than so many over the width. */
const WIDEST_BARS = 48;

/** What is written where tempo or metre change; both together where they change at once. */
export function changesOf(score: Score): { time: number; text: string }[] {
  const texts = new Map<number, string>();
  const write = (time: number, text: string) =>
    texts.set(time, [texts.get(time), text].filter(Boolean).join("  "));
  for (const { time, bpm } of score.tempo.slice(1)) write(time, `♩ = ${Math.round(bpm)}`);
  for (const { time, numerator, denominator } of score.metre.slice(1)) {
    write(time, `${numerator}/${denominator}`);
  }
  return [...texts].map(([time, text]) => ({ time, text }));
}

/** The bar lines in a stretch; none where they would stand too close. */
export function barLines(
  score: Score,
  [from, to]: [number, number],
): { number: number; time: number }[] {
  const metres = score.metre.length > 0 ? score.metre : [{ time: 0, numerator: 4, denominator: 4 }];
  const found: { number: number; time: number }[] = [];
  let number = 1;
  metres.forEach((metre, i) => {
    const size = (metre.numerator * 4) / metre.denominator;
    const begin = beatsAt(score, i === 0 ? 0 : metre.time);
    const end = beatsAt(score, metres[i + 1]?.time ?? score.length);
    const first = Math.max(0, Math.floor((beatsAt(score, from) - begin) / size));
    const last = Math.min((end - begin) / size, (beatsAt(score, to) - begin) / size + 1);
    const wide =
      secondsAt(score, begin + (first + 1) * size) - secondsAt(score, begin + first * size);
    if (wide < (to - from) / WIDEST_BARS || last - first > WIDEST_BARS) {
      number += Math.round((end - begin) / size);
      return;
    }
    for (let bar = first; bar < last; bar++) {
      const time = secondsAt(score, begin + bar * size);
      if (time >= from && time <= to) found.push({ number: number + bar, time });
    }
    number += Math.round((end - begin) / size);
  });
  return found;
}
