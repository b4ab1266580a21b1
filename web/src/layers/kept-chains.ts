/** Chains that are kept under a name, for any sound. */

import { useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, taken } from "../api/client";
import { alone, type Chain, chainOf, type Processor, pasted } from "../document/chains";
import type { Room } from "../document/moving";
import { valueAt } from "../document/patch";
import { notify } from "../notices/notices";
import { change } from "../session/change";
import { useSession } from "../session/store";

export type KeptChain = Schemas["KeptChainOut"];
type Family = KeptChain["family"];

const CHAINS = ["chains"];

/** As the server takes it, which reads it like a part of a sound. */
const plain = (list: object[]) => list as Record<string, unknown>[];

export function useKeptChains() {
  return useQuery({ queryKey: CHAINS, queryFn: () => taken(api.GET("/api/chains")) });
}

/** Put a kept chain behind what stands in a list. */
export function addKept(chain: KeptChain, list: string, most: number, room: Room) {
  change(`Add ${chain.name}`, (sound) => pasted(sound, asChain(chain), list, most, room));
}

const asChain = (kept: KeptChain) => kept as unknown as Chain;

/** What is done to the chains that are kept; what goes wrong is said. */
export function useKeeping() {
  const queries = useQueryClient();
  const doing = async (act: () => Promise<unknown>) => {
    try {
      await act();
    } catch (error) {
      notify(error instanceof Error ? error.message : String(error));
    }
    await queries.invalidateQueries({ queryKey: CHAINS });
  };
  const keep = (name: string, family: Family, { parts, modulators, routes }: Chain) =>
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
    keepHere: (name: string, family: Family, list: string) => {
      const { sound } = useSession.getState();
      if (!sound) return Promise.resolve();
      const here = valueAt(sound, list) as Processor[];
      return keep(name, family, alone(chainOf(sound, list, here)));
    },
    rename: (chain: KeptChain, name: string) =>
      doing(() =>
        taken(
          api.PATCH("/api/chains/{chain_id}", {
            params: { path: { chain_id: chain.id } },
            body: { name },
          }),
        ),
      ),
    forget: (chain: KeptChain) =>
      doing(async () => {
        const path = { chain_id: chain.id };
        await taken(api.DELETE("/api/chains/{chain_id}", { params: { path } }));
        notify(`The chain “${chain.name}” is no longer kept.`, "news", {
          name: "Undo",
          act: () => void keep(chain.name, chain.family, asChain(chain)),
        });
      }),
  };
}
