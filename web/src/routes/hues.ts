import type { Modulator } from "../api/client";

const HUES = 8;

/** The colour of a modulator, by its place among the others. */
export function hue(modulators: Modulator[], id: string): string {
  const index = modulators.findIndex((modulator) => modulator.id === id);
  return `var(--color-mod-${Math.max(0, index) % HUES})`;
}
