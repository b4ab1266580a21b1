/** Presets: chains that are saved under a name, for any sound. */

import { useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, taken } from "../api/client";
import { refresh } from "../api/refresh";
import { alone, type Chain, chainOf, type Processor, pasted } from "../document/chains";
import type { Room } from "../document/moving";
import { valueAt } from "../document/patch";
import { notify } from "../notices/notices";
import { change } from "../session/change";
import { useSession } from "../session/store";

export type Preset = Schemas["KeptChainOut"];
type Family = Preset["family"];

const CHAINS = ["chains"];

/** As the server takes it, which reads it like a part of a sound. */
const plain = (list: object[]) => list as Record<string, unknown>[];

export function usePresets() {
  return useQuery({ queryKey: CHAINS, queryFn: () => taken(api.GET("/api/chains")) });
}

/** Put a preset behind what stands in a list. */
export function addPreset(chain: Preset, list: string, most: number, room: Room) {
  change(`Add ${chain.name}`, (sound) => pasted(sound, asChain(chain), list, most, room));
}

const asChain = (preset: Preset) => preset as unknown as Chain;

/** Edits of presets; what goes wrong is shown as a notice. */
export function usePresetEdits() {
  const queries = useQueryClient();
  const doing = async (act: () => Promise<unknown>) => {
    try {
      await act();
    } catch (error) {
      notify(error instanceof Error ? error.message : String(error));
    }
    await refresh(queries, CHAINS);
  };
  const save = (name: string, family: Family, { parts, modulators, routes }: Chain) =>
    doing(() =>
      taken(
        api.POST("/api/chains", {
          body: {
            name,
            family,
            parts: plain(parts),
            modulators: plain(modulators),
            routes: plain(routes),
          },
        }),
      ),
    );
  return {
    saveHere: (name: string, family: Family, list: string) => {
      const { sound } = useSession.getState();
      if (!sound) return Promise.resolve();
      const here = valueAt(sound, list) as Processor[];
      return save(name, family, alone(chainOf(sound, list, here)));
    },
    rename: (chain: Preset, name: string) =>
      doing(() =>
        taken(
          api.PATCH("/api/chains/{chain_id}", {
            params: { path: { chain_id: chain.id } },
            body: { name },
          }),
        ),
      ),
    delete: (chain: Preset) =>
      doing(async () => {
        const path = { chain_id: chain.id };
        await taken(api.DELETE("/api/chains/{chain_id}", { params: { path } }));
        notify(`The preset “${chain.name}” is deleted.`, "news", {
          name: "Undo",
          act: () => void save(chain.name, chain.family, asChain(chain)),
        });
      }),
  };
}
