import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { refresh } from "../api/refresh";
import { writing } from "../keys/computer-keys";
import { notify } from "../notices/notices";
import { hush } from "./hearing";
import {
  type Arriving,
  closeMaterial,
  isAudio,
  isRecording,
  MATERIAL,
  stepBack,
  TooManyChannels,
  takeIn,
  useMaterial,
  useMaterialView,
} from "./library";
import { MaterialList } from "./MaterialList";
import { PictureCut } from "./PictureCut";
import { RecordingDetail } from "./RecordingDetail";
import { TableDetail } from "./TableDetail";

/** Take files in one after the other, with progress, telling of each that was there already. */
function useTakingIn() {
  const queries = useQueryClient();
  const [arriving, setArriving] = useState<Arriving[]>([]);
  const add = useCallback(
    async (files: File[], take = "") => {
      const audio = files.filter(isAudio);
      const others = files.filter((file) => !isAudio(file));
      if (others.length > 0) {
        notify(
          `${others.map((f) => f.name).join(", ")}: not imported. Material is WAV, FLAC, OGG, AIFF or MP3; pictures are cut under “Cut a table from a picture”.`,
        );
      }
      const known: string[] = [];
      for (const file of audio) {
        const stop = new AbortController();
        const entry = { name: file.name, progress: 0, cancel: () => stop.abort() };
        setArriving((now) => [...now, entry]);
        const update = (progress: number) =>
          setArriving((now) =>
            now.map((a) => (a.cancel === entry.cancel ? { ...a, progress } : a)),
          );
        try {
          const found = await takeIn(file, update, stop.signal, take);
          if (!found.fresh) known.push(`${file.name} (as ${found.card.name})`);
          useMaterialView.setState({ key: found.card.key });
        } catch (error) {
          if (error instanceof TooManyChannels) {
            const offer = ({ take, name }: TooManyChannels["offers"][number]) => ({
              name,
              act: () => void add([file], take),
            });
            notify(error.message, "problem", ...error.offers.map(offer));
          } else if ((error as Error).name !== "AbortError") notify((error as Error).message);
        }
        setArriving((now) => now.filter((a) => a.cancel !== entry.cancel));
        await refresh(queries, MATERIAL);
      }
      if (known.length > 0) notify(`Already in the library: ${known.join(", ")}.`, "news");
    },
    [queries],
  );
  return { arriving, add };
}

/** Files that were dropped on the window before the view was open. */
const dropped: { files: File[] } = { files: [] };

export function dropMaterial(files: File[]) {
  dropped.files = files;
  useMaterialView.setState({ open: true });
}

/** Everything that sources draw on: taken in, looked at, changed, cut. */
export function MaterialView() {
  const material = useMaterial();
  const queries = useQueryClient();
  const key = useMaterialView((s) => s.key);
  const canUndo = useMaterialView((s) => s.done.at(-1)?.label);
  const canRedo = useMaterialView((s) => s.undone.at(-1)?.label);
  const { arriving, add } = useTakingIn();
  const view = useRef<HTMLElement>(null);
  const step = useCallback(
    async (direction: "undo" | "redo") => {
      await stepBack(direction);
      await refresh(queries, MATERIAL);
    },
    [queries],
  );
  useEffect(() => {
    view.current?.focus();
    if (dropped.files.length > 0) void add(dropped.files);
    dropped.files = [];
    return hush;
  }, [add]);
  const chosen = material.data?.find((m) => m.card.key === key) ?? material.data?.[0];
  return (
    <section
      ref={view}
      tabIndex={-1}
      aria-label="Material"
      className="fixed inset-0 z-40 flex flex-col bg-fog outline-none"
      onKeyDown={(event) => {
        event.stopPropagation();
        if (writing(event.target)) return;
        const command = event.ctrlKey || event.metaKey;
        if (event.key === "Escape") closeMaterial();
        if (command && event.key.toLowerCase() === "z") {
          event.preventDefault();
          void step(event.shiftKey ? "redo" : "undo");
        }
      }}
      onDragOver={(event) => event.preventDefault()}
      onDrop={(event) => {
        event.preventDefault();
        event.stopPropagation();
        void add([...event.dataTransfer.files]);
      }}
    >
      <header className="flex h-11 shrink-0 items-center gap-3 border-b border-line px-4">
        <h1 className="text-[1.35rem] leading-none">Material</h1>
        <span className="label min-w-0 flex-1 truncate">
          recordings and tables that sources draw on; drop files anywhere here
        </span>
        <button
          type="button"
          className="button-plain"
          disabled={!canUndo}
          title={canUndo ? `Undo: ${canUndo}` : "Nothing to undo"}
          onClick={() => void step("undo")}
        >
          Undo
        </button>
        <button
          type="button"
          className="button-plain"
          disabled={!canRedo}
          title={canRedo ? `Redo: ${canRedo}` : "Nothing to redo"}
          onClick={() => void step("redo")}
        >
          Redo
        </button>
        <button type="button" className="button" onClick={closeMaterial}>
          Back to the sound
        </button>
      </header>
      <div className="flex min-h-0 flex-1">
        <MaterialList
          material={material.data ?? []}
          chosen={chosen?.card.key ?? null}
          arriving={arriving}
          onFiles={(files) => void add(files)}
        />
        <div className="min-w-0 flex-1 overflow-y-auto px-4 py-3">
          {material.error && (
            <p role="alert" className="text-warn">
              {material.error.message}
            </p>
          )}
          {chosen && isRecording(chosen.card) && (
            <RecordingDetail key={chosen.card.key} entry={chosen} card={chosen.card} />
          )}
          {chosen && !isRecording(chosen.card) && (
            <TableDetail key={chosen.card.key} entry={chosen} />
          )}
          {material.data && <PictureCut />}
        </div>
      </div>
    </section>
  );
}
