/** Chains that are kept under a name, for any sound. */

import { useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, taken } from "../api/client";
import { alone, type Processor, pasted } from "../document/chains";
import { valueAt } from "../document/patch";
import { change } from "../session/change";
import { say, useSession } from "../session/store";

export type KeptChain = Schemas["KeptChainOut"];
type Family = KeptChain["family"];

const CHAINS = ["chains"];

export function useKeptChains() {
  return useQuery({ queryKey: CHAINS, queryFn: () => taken(api.GET("/api/chains")) });
}

/** Put a kept chain behind what stands in a list. */
export function addKept(chain: KeptChain, list: string, most: number) {
  const parts = chain.parts as unknown as Processor[];
  change(`Add ${chain.name}`, (sound) => pasted(sound, parts, list, most));
}

/** What is done to the chains that are kept; what goes wrong is said. */
export function useKeeping() {
  const queries = useQueryClient();
  const doing = async (act: () => Promise<unknown>) => {
    try {
      await act();
    } catch (error) {
      say(error instanceof Error ? error.message : String(error));
    }
    await queries.invalidateQueries({ queryKey: CHAINS });
  };
  const keep = (name: string, family: Family, parts: Processor[]) =>
    doing(() =>
      taken(
        api.POST("/api/chains", {
          body: { name, family, parts: parts as unknown as Record<string, unknown>[] },
        }),
      ),
    );
  return {
    keepHere: (name: string, family: Family, list: string) => {
      const here = valueAt(useSession.getState().sound, list) as Processor[];
      return keep(name, family, alone(here));
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
        say(`The chain “${chain.name}” is no longer kept.`, "news", {
          name: "Undo",
          act: () => void keep(chain.name, chain.family, chain.parts as unknown as Processor[]),
        });
      }),
  };
}
