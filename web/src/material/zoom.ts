/** Looking closer at a recording: which stretch is seen, which part is chosen. */

/** What is looked at: a stretch in seconds, the part that is chosen, and the whole length. */
export interface View {
  start: number;
  end: number | null;
  chosen: [number, number] | null;
  seconds: number;
}

/** The shortest stretch that is shown, in seconds. */
const CLOSEST = 0.02;

export function endOf(view: View): number {
  return view.end ?? view.seconds;
}

export function spanOf(view: View): number {
  return Math.max(1e-6, endOf(view) - view.start);
}

/** The view `factor` times as wide, with what lies at `around` staying where it is seen. */
export function zoomed(view: View, factor: number, around = view.start + spanOf(view) / 2): View {
  const span = spanOf(view);
  const next = Math.min(view.seconds, Math.max(CLOSEST, span * factor));
  const left = around - ((around - view.start) / span) * next;
  const start = Math.min(Math.max(0, left), view.seconds - next);
  return { ...view, start, end: next >= view.seconds ? null : start + next };
}

/** The view moved by a fraction of itself; the whole stays where it is. */
export function moved(view: View, fraction: number): View {
  if (view.end === null) return view;
  const span = spanOf(view);
  const start = Math.min(Math.max(0, view.start + fraction * span), view.seconds - span);
  return { ...view, start, end: start + span };
}

/** The chosen part with its end moved by a step; something is chosen where nothing was. */
export function choseTo(view: View, by: number): View {
  const span = spanOf(view);
  const [from, to] = view.chosen ?? [view.start + span * 0.25, view.start + span * 0.5];
  const end = Math.min(view.seconds, Math.max(from + 0.01, to + (by * span) / 50));
  return { ...view, chosen: [from, end] };
}

/** The chosen part with its start moved by a step. */
export function choseFrom(view: View, by: number): View {
  if (!view.chosen) return view;
  const [from, to] = view.chosen;
  const start = Math.max(0, Math.min(from + (by * spanOf(view)) / 50, to - 0.01));
  return { ...view, chosen: [start, to] };
}
