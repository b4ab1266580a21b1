import type { Layer } from "../api/client";
import { sourcePointer, sourcesOf } from "../document/sources";
import { useLive } from "../live/socket";
import { openMaterial } from "../material/library";
import { useValue } from "../session/hooks";
import { CyclesPicture } from "./CyclesPicture";
import { GrainsPicture } from "./GrainsPicture";
import { PartialsPicture } from "./PartialsPicture";
import { isPacked } from "./packed";
import { RegionsPicture } from "./RegionsPicture";
import { SpectrumPicture } from "./SpectrumPicture";
import { ZonesPicture } from "./ZonesPicture";

/** What a layer's source does, now and over the length; which picture it is, the source says. */
export function SourcePicture({
  layer,
  index,
  number,
  kind,
}: {
  layer: Layer;
  index: number;
  /** Which of the layer's sources it is. */
  number: number;
  kind: string;
}) {
  const id = sourcesOf(layer)[number]?.id ?? "";
  const shown = useLive((s) => s.pictures[`${layer.id}.${id}`]);
  const recording = String(useValue(`${sourcePointer(index, number)}/params/recording`) ?? "");
  if (kind === "zones") return <ZonesPicture index={index} number={number} />;
  if ((kind === "grains" || kind === "regions") && !recording) {
    return (
      <p className="col-span-full border border-line bg-paper p-3" role="status">
        No recording yet: choose one below, or{" "}
        <button type="button" className="button-plain underline" onClick={() => openMaterial()}>
          import one
        </button>
        .
      </p>
    );
  }
  if (!shown || shown.kind !== kind) {
    return <div className="col-span-full h-[92px] border border-line bg-paper" />;
  }
  const { levels, octaves, places, cycles, grains, length } = shown;
  if (kind === "partials" && isPacked(levels) && isPacked(octaves) && isPacked(places)) {
    return <PartialsPicture levels={levels} octaves={octaves} places={places} length={length} />;
  }
  if (kind === "spectrum" && isPacked(levels)) {
    return <SpectrumPicture levels={levels} length={length} />;
  }
  if (kind === "cycles" && isPacked(cycles)) {
    return <CyclesPicture cycles={cycles} length={length} />;
  }
  if (kind === "grains" && isPacked(grains)) {
    return (
      <GrainsPicture
        grains={grains}
        length={length}
        layer={layer.id}
        source={id}
        recording={recording}
      />
    );
  }
  if (kind === "regions" && isPacked(places)) {
    return (
      <RegionsPicture
        places={places}
        length={length}
        index={index}
        number={number}
        recording={recording}
      />
    );
  }
  return null;
}
