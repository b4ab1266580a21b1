/** What a row reads of all trajectories: the same object until something in it is another. */

import { useRef } from "react";
import { useShallow } from "zustand/react/shallow";
import type { Route } from "../api/client";
import { type Trajectories, useLive } from "../live/socket";
import { useSession } from "../session/store";
import { changedRoutes } from "./foresight";
import type { SheetRow } from "./rows";
import type { Span } from "./view";

/** The trajectories that show the view best: those of the stretch in view, else of the whole. */
export function best(
  { trajectories, closer }: { trajectories: Trajectories; closer: Trajectories | null },
  [from, to]: Span,
): Trajectories {
  const near = closer && closer.start <= from + 1e-6 && closer.end >= to - 1e-6;
  return near ? closer : trajectories;
}

/** Whether two states of all trajectories are the same to a row. */
export function sameTo(
  { address, movers }: Pick<SheetRow, "address" | "movers">,
  routes: readonly Route[],
  before: Trajectories,
  after: Trajectories,
): boolean {
  return (
    before.start === after.start &&
    before.end === after.end &&
    before.parameters[address] === after.parameters[address] &&
    before.spread[address] === after.spread[address] &&
    movers.every((mover) => before.modulators[mover] === after.modulators[mover]) &&
    routes.every(({ id, to, scaled_by: scaler }) => {
      if (to !== address) return true;
      const scaled = !scaler || before.modulators[scaler] === after.modulators[scaler];
      return scaled && before.depths[id] === after.depths[id];
    })
  );
}

/** The trajectories as a row shows them. */
export function useRowTrajectories(row: SheetRow, span: Span): Trajectories {
  const kept = useRef<Trajectories | null>(null);
  return useLive((s) => {
    const [before, after] = [kept.current, best(s, span)];
    const routes = useSession.getState().sound?.routes ?? [];
    if (before === null || !sameTo(row, routes, before, after)) kept.current = after;
    return kept.current ?? after;
  });
}

/** The routes to a parameter whose depths the server has not yet computed with. */
export function useChanged(address: string, trajectories: Trajectories): Route[] {
  return useSession(
    useShallow((s) =>
      changedRoutes(
        (s.sound?.routes ?? []).filter((route) => route.to === address),
        trajectories,
      ),
    ),
  );
}
