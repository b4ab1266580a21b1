/** What there is, what was deleted, and doing something about either. */

import { useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, taken } from "../api/client";
import { refresh } from "../api/refresh";
import { notify } from "../notices/notices";

export const PRODUCTIONS = ["productions"];
const REMOVED = ["removed"];

export type Removed = Schemas["RemovedEntry"];
type Kind = Removed["kind"];

export function useProductions() {
  return useQuery({ queryKey: PRODUCTIONS, queryFn: () => taken(api.GET("/api/productions")) });
}

export function useRemoved() {
  return useQuery({ queryKey: REMOVED, queryFn: () => taken(api.GET("/api/removed")) });
}

/** Do something, say what went wrong with it, and show what has become of the lists. */
export function useActions() {
  const queries = useQueryClient();
  return async <Data>(doing: Promise<Data>, then?: (data: Data) => void) => {
    try {
      const data = await doing;
      then?.(data);
    } catch (error) {
      notify(error instanceof Error ? error.message : String(error));
    }
    await Promise.all(
      [PRODUCTIONS, REMOVED, ["versions"]].map((queryKey) => refresh(queries, queryKey)),
    );
  };
}

/** Bring something deleted back. */
export function useBringingBack() {
  const act = useActions();
  return (kind: Kind, id: number, name: string) =>
    act(
      taken(
        api.POST("/api/removed/{kind}/{removed_id}", {
          params: { path: { kind, removed_id: id } },
        }),
      ),
      () => notify(`“${name}” is back.`, "news"),
    );
}

function deleted(kind: Kind, id: number): Promise<unknown> {
  switch (kind) {
    case "production":
      return taken(
        api.DELETE("/api/productions/{production_id}", { params: { path: { production_id: id } } }),
      );
    case "cue":
      return taken(api.DELETE("/api/cues/{cue_id}", { params: { path: { cue_id: id } } }));
    case "sound":
      return taken(api.DELETE("/api/sounds/{sound_id}", { params: { path: { sound_id: id } } }));
    case "version":
      return taken(
        api.DELETE("/api/versions/{version_id}", { params: { path: { version_id: id } } }),
      );
  }
}

/** Delete something and offer to take that back. */
export function useRemoving() {
  const act = useActions();
  const bringBack = useBringingBack();
  return (kind: Kind, id: number, name: string) =>
    act(deleted(kind, id), () =>
      notify(`“${name}” is deleted.`, "news", {
        name: "Undo",
        act: () => void bringBack(kind, id, name),
      }),
    );
}
