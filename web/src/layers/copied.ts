/** What has been copied of a chain, to be pasted into this sound or another. */

import { create } from "zustand";
import type { Processor } from "../document/chains";

interface Copied {
  family: "filter" | "effect" | null;
  parts: Processor[];
}

export const useCopied = create<Copied>(() => ({ family: null, parts: [] }));

/** Keep copies of filters or effects. */
export function copy(family: "filter" | "effect", parts: Processor[]) {
  useCopied.setState({ family, parts: structuredClone(parts) });
}
