/** What has been copied of a chain, to be pasted into this sound or another. */

import { create } from "zustand";
import { type Chain, chainOf, type Processor } from "../document/chains";
import { valueAt } from "../document/patch";
import { useSession } from "../session/store";

interface Copied {
  family: "filter" | "effect" | null;
  chain: Chain;
}

export const useCopied = create<Copied>(() => ({
  family: null,
  chain: { parts: [], modulators: [], routes: [] },
}));

/** Keep copies of the filters or effects of a list, or of one of them, and of what moves them. */
export function copy(family: "filter" | "effect", list: string, pointer = list) {
  const { sound } = useSession.getState();
  if (!sound) return;
  const parts = [valueAt(sound, pointer)].flat() as Processor[];
  useCopied.setState({ family, chain: structuredClone(chainOf(sound, list, parts)) });
}
