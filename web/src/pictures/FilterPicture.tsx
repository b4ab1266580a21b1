import type { Layer } from "../api/client";
import { useLive } from "../live/socket";
import { isPacked } from "./packed";
import { SpectrumPicture } from "./SpectrumPicture";

/** Where 0 dB lies between the lowest and the highest level of a response, -72 and 18 dB. */
const ZERO = 72 / 90;

/** What a filter does to each frequency, now and over the whole length. */
export function FilterPicture({ layer, filter }: { layer: Layer; filter: string }) {
  const shown = useLive((s) => s.pictures[`${layer.id}.${layer.source.id}`]);
  const responses = shown?.responses as Record<string, unknown> | undefined;
  const levels = responses?.[filter];
  if (!shown || !isPacked(levels)) {
    return <div className="col-span-full h-[92px] border border-line bg-paper" />;
  }
  return (
    <SpectrumPicture
      levels={levels}
      length={shown.length}
      label="Response of the filter"
      zero={ZERO}
    />
  );
}
