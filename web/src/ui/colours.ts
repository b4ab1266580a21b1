/** The style sheet's colours for canvases, which do not read CSS variables. */

export type Colour =
  | "ink"
  | "paper"
  | "slate"
  | "mist"
  | "warn"
  | "level"
  | "level-1"
  | "level-2"
  | "level-3"
  | "level-4";
export type Channels = readonly [red: number, green: number, blue: number];

const known = new Map<Colour, string>();

/** The colour as CSS writes it. */
export function colour(name: Colour): string {
  const found =
    known.get(name) ??
    getComputedStyle(document.documentElement).getPropertyValue(`--color-${name}`).trim();
  if (found) known.set(name, found);
  return found;
}

/** Red, green and blue from 0 to 255; black where there is no style sheet. */
export function channels(name: Colour): Channels {
  const value = Number.parseInt(colour(name).slice(1), 16) || 0;
  return [value >> 16, (value >> 8) & 255, value & 255];
}
