/** A modulator that is dragged onto a strip or a row moves what stands there. */

import type { DragEvent } from "react";
import type { Catalogue, Target } from "../document/catalogue";
import { addRoute } from "../document/edits";
import { notify } from "../notices/notices";
import { edit, useSession } from "../session/store";

const TYPE = "application/x-caligo-modulator";

export function dragModulator(event: DragEvent, id: string) {
  event.dataTransfer.setData(TYPE, id);
  event.dataTransfer.effectAllowed = "link";
}

/** Add a route from a modulator, unless it leads there already or would move itself. */
export function moveBy(from: string, target: Target, catalogue: Catalogue) {
  const { sound } = useSession.getState();
  const modulator = sound?.modulators.find((m) => m.id === from);
  if (!sound || !modulator) return;
  if (sound.routes.some((route) => route.from === from && route.to === target.address)) {
    notify(`${modulator.name} moves ${target.label.toLowerCase()} already.`, "news");
  } else if (target.place.path === from) {
    notify(`${modulator.name} cannot move itself.`);
  } else edit("sound", addRoute(sound, from, target, catalogue), `Move ${target.label}`);
}

/** What an element needs so that modulators can be dropped on it. */
export function droppable(target: Target, catalogue: Catalogue) {
  return {
    onDragOver: (event: DragEvent) => {
      if (!event.dataTransfer.types.includes(TYPE)) return;
      event.preventDefault();
      event.stopPropagation();
      event.dataTransfer.dropEffect = "link";
    },
    onDrop: (event: DragEvent) => {
      const from = event.dataTransfer.getData(TYPE);
      if (!from) return;
      event.preventDefault();
      event.stopPropagation();
      moveBy(from, target, catalogue);
    },
  };
}
