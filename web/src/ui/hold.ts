import type { PointerEvent } from "react";
import { endGesture, takeBack } from "../session/store";

/**
 * Hold the pointer for a drag, from its `pointerdown` until it is let go, by whatever ends it: the
 * button, a system gesture, another window. Escape gives back what the drag has changed.
 *
 * @param letGo Ends the drag. It comes after the `pointerup` of a drag that was carried through.
 * @param giveBack Undoes it, where it is no edit of the sound.
 */
export function hold(event: PointerEvent<Element>, letGo: () => void, giveBack = takeBack) {
  holdBy(event.currentTarget, event.pointerId, letGo, giveBack);
}

/** The same by an element around the one that was pressed. */
export function holdBy(
  element: Element | null,
  pointer: number,
  letGo: () => void,
  giveBack = takeBack,
) {
  if (!element) return;
  const ends = new AbortController();
  const { signal } = ends;
  const end = () => {
    if (signal.aborted) return;
    ends.abort();
    if (element.hasPointerCapture(pointer)) element.releasePointerCapture(pointer);
    letGo();
    endGesture();
  };
  endGesture();
  element.setPointerCapture(pointer);
  element.addEventListener("lostpointercapture", end, { signal });
  element.addEventListener("pointercancel", end, { signal });
  // Selected text would be carried off, and the drag with it.
  window.addEventListener("dragstart", (carried) => carried.preventDefault(), { signal });
  window.addEventListener("blur", end, { signal });
  window.addEventListener(
    "keydown",
    (key) => {
      if (key.key !== "Escape") return;
      key.preventDefault();
      key.stopPropagation();
      giveBack();
      end();
    },
    { signal, capture: true },
  );
}
