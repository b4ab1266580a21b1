import { useQueryClient } from "@tanstack/react-query";
import { useRef } from "react";
import { type Layer, type Schemas, uploadAll, type Value } from "../api/client";
import { refresh } from "../api/refresh";
import { defaultParams } from "../document/catalogue";
import { sourcePointer, sourcesOf } from "../document/sources";
import { MATERIAL } from "../material/library";
import { notify } from "../notices/notices";
import { change } from "../session/change";
import { useSession } from "../session/store";
import { useCatalogue } from "../ui/catalogue-context";
import { FileField } from "../ui/FileField";

/** Zones of the sampler from an SFZ file with its samples, and back. */
export function Instrument({
  layer,
  index,
  number,
}: {
  layer: Layer;
  index: number;
  number: number;
}) {
  const source = sourcesOf(layer)[number]?.id ?? "";
  const catalogue = useCatalogue();
  const queries = useQueryClient();
  const soundId = useSession((s) => s.soundId);
  const field = useRef<HTMLInputElement>(null);
  const read = async (files: File[]) => {
    try {
      const found = await uploadAll<Schemas["InstrumentOut"]>(
        "/api/material/instrument",
        "files",
        files,
      );
      await refresh(queries, MATERIAL);
      const params = defaultParams(catalogue.module("item", "zone"));
      change("Read SFZ", () => [
        {
          op: "replace",
          path: `${sourcePointer(index, number)}/items`,
          value: found.zones.map((zone, i) => ({
            id: `zone${i + 1}`,
            kind: "zone",
            params: { ...params, ...(zone as Record<string, Value>) },
          })),
        },
      ]);
      const skipped = Object.entries(found.skipped).map(([what, n]) =>
        n > 1 ? `${what} (${n} times)` : what,
      );
      notify(
        `${found.zones.length} zones read.${skipped.length > 0 ? ` Skipped: ${skipped.join(", ")}.` : ""}`,
        "news",
      );
    } catch (error) {
      notify((error as Error).message);
    }
  };
  return (
    <div className="mb-3 flex items-center gap-2">
      <button type="button" className="button" onClick={() => field.current?.click()}>
        Read SFZ with its samples…
      </button>
      <FileField
        field={field}
        label="SFZ file and its samples"
        accept=".sfz,.wav,.flac,.ogg,.aif,.aiff"
        multiple
        onFiles={(files) => void read(files)}
      />
      <a
        className="button"
        href={`/api/sounds/${soundId}/layers/${layer.id}/instrument?source=${source}`}
        download
      >
        Save as SFZ
      </a>
    </div>
  );
}
