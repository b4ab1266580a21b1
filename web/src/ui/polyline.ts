/** Lines through many points as SVG paths, as short as looks the same. */

/** How far, in the path's own units, the line may pass a point that is left out. */
const PASSES_BY = 0.1;

function tenths(value: number): number {
  return Math.round(value * 10) / 10;
}

/**
 * Points as the middle of a path, `x y` with an L between, without those on a straight stretch.
 *
 * The swinging door of Bristol (1990): from the last point kept, as long as one line passes all
 * points since by no more than `PASSES_BY`, only the newest is needed.
 */
export function throughPoints(xs: readonly number[], ys: readonly number[]): string {
  const last = xs.length - 1;
  if (last < 0) return "";
  let text = `${tenths(xs[0] ?? 0)} ${tenths(ys[0] ?? 0)}`;
  let kept = 0;
  let steepest = Number.POSITIVE_INFINITY;
  let flattest = Number.NEGATIVE_INFINITY;
  for (let i = 1; i <= last; i++) {
    const along = Math.abs((xs[i] ?? 0) - (xs[kept] ?? 0)) || 1e-9;
    const up = (ys[i] ?? 0) - (ys[kept] ?? 0);
    if (i > kept + 1 && (up / along > steepest || up / along < flattest)) {
      kept = i - 1;
      text += `L${tenths(xs[kept] ?? 0)} ${tenths(ys[kept] ?? 0)}`;
      const next = Math.abs((xs[i] ?? 0) - (xs[kept] ?? 0)) || 1e-9;
      const rise = (ys[i] ?? 0) - (ys[kept] ?? 0);
      steepest = (rise + PASSES_BY) / next;
      flattest = (rise - PASSES_BY) / next;
      continue;
    }
    steepest = Math.min(steepest, (up + PASSES_BY) / along);
    flattest = Math.max(flattest, (up - PASSES_BY) / along);
  }
  return last > 0 ? `${text}L${tenths(xs[last] ?? 0)} ${tenths(ys[last] ?? 0)}` : text;
}

/** The outline of a band between an upper and a lower line over the same places. */
export function bandBetween(
  xs: readonly number[],
  upper: readonly number[],
  lower: readonly number[],
): string {
  const back = throughPoints(xs.toReversed(), lower.toReversed());
  return `M${throughPoints(xs, upper)}L${back}Z`;
}
