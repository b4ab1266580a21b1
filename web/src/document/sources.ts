/** The sources of a layer: the first, and those beside it. */

import type { Layer } from "../api/client";

export type Source = Layer["source"];

export function sourcesOf(layer: Layer): Source[] {
  return [layer.source, ...(layer.more_sources ?? [])];
}

/** The pointer to a layer's source, by the numbers of both. */
export function sourcePointer(layer: number, source: number): string {
  const at = `/layers/${layer}`;
  return source === 0 ? `${at}/source` : `${at}/more_sources/${source - 1}`;
}
