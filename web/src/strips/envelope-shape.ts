import type { Value } from "../api/client";
import { curved, STEEPEST } from "../document/curvature";
import { isTime } from "../document/values";

function seconds(value: Value | undefined, hold: number, bpm: number): number {
  if (value === undefined || !isTime(value)) return 0;
  if (value.unit === "hold") return value.value * hold;
  return value.unit === "beats" ? (value.value * 60) / bpm : value.value;
}

/** An envelope over a held note: points of (seconds, 0 to 1), and when it reaches full level. */
export function envelopeShape(params: Record<string, Value>, hold: number, bpm: number) {
  const time = (key: string) => seconds(params[key], hold, bpm);
  const curvature = (key: string) => (STEEPEST * Number(params[key] ?? 0)) / 100;
  const [delay, attack, stay, decay, release] = [
    time("delay"),
    time("attack"),
    time("hold"),
    time("decay"),
    time("release"),
  ];
  const sustain = 10 ** (Number(params.sustain ?? 0) / 20);
  const level = (t: number) => {
    const x = t - delay;
    if (x < 0) return 0;
    if (x < attack) return curved(x / attack, curvature("attack_bend"));
    if (x <= attack + stay) return 1;
    if (x < attack + stay + decay) {
      return 1 + (sustain - 1) * curved((x - attack - stay) / decay, curvature("decay_bend"));
    }
    return sustain;
  };
  const total = hold + release;
  const top = level(hold);
  const points: [number, number][] = [];
  for (let i = 0; i <= 160; i++) {
    const t = (i / 160) * total;
    const fall = release > 0 ? (t - hold) / release : 1;
    points.push([
      t,
      t <= hold ? level(t) : top * (1 - curved(Math.min(1, fall), curvature("release_bend"))),
    ]);
  }
  return { points, total, full: delay + attack };
}
