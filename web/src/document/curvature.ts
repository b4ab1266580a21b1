/** Curvature of a segment between two points: the core's formula, see `caligo.movement.curvature`. */

/** Exponent of a full bend. */
export const STEEPEST = 6;

/** A value from 0 to 1 as x goes from 0 to 1; early for a curvature above zero, late below. */
export function curved(x: number, curvature: number): number {
  const inside = Math.min(1, Math.max(0, x));
  if (Math.abs(curvature) < 1e-6) return inside;
  return (1 - Math.exp(-curvature * inside)) / (1 - Math.exp(-curvature));
}
