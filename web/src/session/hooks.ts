/** What components read of the open sound: its structure, a part's values, one value. */

import type { Layer, Sound, Value } from "../api/client";
import { valueAt } from "../document/patch";
import { skeletonOf } from "../document/skeleton";
import { useSession } from "./store";

/** The open sound without values; it stays the same while only values change. */
export function useSkeleton(): Sound | null {
  return useSession((s) => (s.sound ? skeletonOf(s.sound) : null));
}

/** All values of a part; for what really shows all of them, such as a picture. */
export function useParams(pointer: string): Record<string, Value> {
  return useSession(
    (s) => (s.sound ? valueAt(s.sound, `${pointer}/params`) : null) ?? NOTHING,
  ) as Record<string, Value>;
}

const NOTHING: Record<string, Value> = {};

/** A layer with all its values; for what really shows many of them. */
export function useLayer(index: number): Layer | undefined {
  return useSession((s) => s.sound?.layers[index]);
}

/** One value of the open sound. */
export function useValue(pointer: string): Value | undefined {
  return useSession((s) =>
    s.sound ? (valueAt(s.sound, pointer) as Value | undefined) : undefined,
  );
}
