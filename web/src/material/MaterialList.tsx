import { useRef } from "react";
import { keyName } from "../document/values";
import { FileField } from "../ui/FileField";
import type { Arriving } from "./library";
import { isRecording, type Material, useMaterialView } from "./library";

function facts(entry: Material): string {
  const { card } = entry;
  if (!isRecording(card)) return `table, ${card.frames} cycles`;
  const seconds = (card.frames / card.rate).toFixed(1);
  return `${seconds} s, ${card.channels === 2 ? "stereo" : "mono"}, ${
    card.root === null ? "no pitch" : keyName(card.root)
  }`;
}

/** Recordings and tables by name, imports under way, and the button for more. */
export function MaterialList({
  material,
  chosen,
  arriving,
  onFiles,
}: {
  material: Material[];
  chosen: string | null;
  arriving: Arriving[];
  onFiles: (files: File[]) => void;
}) {
  const field = useRef<HTMLInputElement>(null);
  return (
    <aside
      aria-label="Recordings and tables"
      className="flex w-[250px] shrink-0 flex-col border-r border-line p-3"
    >
      <button type="button" className="button mb-2" onClick={() => field.current?.click()}>
        Import recordings…
      </button>
      <FileField
        field={field}
        label="Recordings to import"
        accept=".wav,.flac,.ogg,.aif,.aiff,.mp3,audio/*"
        multiple
        onFiles={onFiles}
      />
      {arriving.map((file) => (
        <div key={file.name} className="mb-1 flex items-center gap-2" role="status">
          <span className="min-w-0 flex-1 truncate">{file.name}</span>
          <progress
            className="h-1 w-16"
            value={file.progress}
            aria-label={`Importing ${file.name}`}
          />
          <button type="button" className="button-plain" onClick={file.cancel}>
            Cancel
          </button>
        </div>
      ))}
      <ul className="min-h-0 flex-1 overflow-y-auto">
        {material.map((entry) => (
          <li key={entry.card.key}>
            <button
              type="button"
              aria-pressed={entry.card.key === chosen}
              className={`mb-1 w-full border border-l-[5px] bg-paper px-2 py-1 text-left ${
                entry.card.key === chosen ? "border-ink" : "border-line border-l-edge"
              }`}
              onClick={() => useMaterialView.setState({ key: entry.card.key })}
            >
              <div className="truncate font-bold">{entry.card.name}</div>
              <div className="label truncate text-xs">{facts(entry)}</div>
            </button>
          </li>
        ))}
      </ul>
    </aside>
  );
}
