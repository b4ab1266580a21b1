import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useState } from "react";
import { api, taken } from "./api/client";
import { refresh } from "./api/refresh";
import { Catalogue } from "./document/catalogue";
import { ExportButton } from "./exporting/ExportDialog";
import { writing } from "./keys/computer-keys";
import { Keys } from "./keys/Keys";
import { Editor } from "./layers/Editor";
import { Layers } from "./layers/Layers";
import { Remarks } from "./layers/Remarks";
import { loadScale } from "./layers/Tuning";
import { keepCopy } from "./library/copies";
import { Library } from "./library/Library";
import { goTo, onArrival, soundInAddress } from "./library/place";
import { PRODUCTIONS, useProductions } from "./library/productions";
import { VersionsButton } from "./library/Versions";
import { openLive } from "./live/socket";
import { followPlayhead } from "./longview/playhead";
import { isAudio, openMaterial, useMaterialView } from "./material/library";
import { dropMaterial, MaterialView } from "./material/MaterialView";
import { Movement } from "./movement/Movement";
import { NoticeBar } from "./notices/NoticeBar";
import { notify } from "./notices/notices";
import { dropMidi } from "./score/ScoreDialog";
import { turnOver } from "./session/comparing";
import {
  edit,
  explainSaving,
  lastWords,
  onKeepCopy,
  redo,
  takeUp,
  undo,
  useSession,
} from "./session/store";
import { Sheet } from "./sheet/Sheet";
import { BeforeAfter } from "./transport/BeforeAfter";
import { Preparation } from "./transport/Preparation";
import { onSpace } from "./transport/space";
import { Transport, togglePlaying } from "./transport/Transport";
import { CatalogueContext } from "./ui/catalogue-context";
import { EditableName } from "./ui/EditableName";
import { ErrorBoundary } from "./ui/ErrorBoundary";

function Header() {
  const name = useSession((s) => s.sound?.name ?? "");
  const done = useSession((s) => s.done);
  const undone = useSession((s) => s.undone);
  const saving = useSession((s) => s.saving);
  const queries = useQueryClient();
  const listed = useRef(name);
  useEffect(() => {
    // The list takes a name from what is saved, so it asks once that has been.
    if (saving !== "saved" || listed.current === name) return;
    listed.current = name;
    void refresh(queries, PRODUCTIONS);
  }, [queries, saving, name]);
  const rename = (next: string) =>
    edit("sound", [{ op: "replace", path: "/name", value: next }], "Rename sound");
  return (
    <header className="flex min-h-11 shrink-0 flex-wrap items-center gap-x-3 gap-y-1 border-b border-line px-4 py-1">
      <h1 className="text-[1.35rem] leading-none">Caligo</h1>
      <Library />
      <span aria-hidden className="label">
        /
      </span>
      <EditableName name={name} label="Sound" className="font-bold" onChange={rename} />
      <span className="label" role="status">
        {saving === "saved"
          ? "saved"
          : saving === "saving"
            ? "saving…"
            : saving === "offline"
              ? "offline, changes kept here"
              : null}
        {(saving === "failing" || saving === "gone") && (
          <button type="button" className="button-plain" onClick={explainSaving}>
            not saved, changes kept here
          </button>
        )}
      </span>
      <Remarks />
      <Preparation />
      <span className="flex-1" />
      <button
        type="button"
        className="button-plain"
        disabled={done.length === 0}
        onClick={undo}
        title={done.at(-1) ? `Undo: ${done.at(-1)?.label}` : "Nothing to undo"}
      >
        Undo
      </button>
      <button
        type="button"
        className="button-plain"
        disabled={undone.length === 0}
        onClick={redo}
        title={undone.at(-1) ? `Redo: ${undone.at(-1)?.label}` : "Nothing to redo"}
      >
        Redo
      </button>
      <BeforeAfter />
      <button type="button" className="button" onClick={() => openMaterial()}>
        Material
      </button>
      <VersionsButton />
      <ExportButton />
    </header>
  );
}

/** Open the sound that the address names, or the first there is. */
function useOpenSound() {
  const productions = useProductions();
  const [wanted, setWanted] = useState(soundInAddress());
  useEffect(() => onArrival(() => setWanted(soundInAddress())), []);
  const first = productions.data?.flatMap((p) => p.cues.flatMap((c) => c.sounds))[0]?.id;
  useEffect(() => {
    if (wanted === null && first !== undefined) goTo(first);
  }, [wanted, first]);
  useEffect(() => {
    if (wanted === null) return;
    let current = true;
    taken(api.GET("/api/sounds/{sound_id}", { params: { path: { sound_id: wanted } } })).then(
      (opened) => {
        if (!current) return;
        takeUp(opened);
        openLive(opened.id);
      },
      (error: Error) => notify(error.message),
    );
    return () => {
      current = false;
    };
  }, [wanted]);
  return productions;
}

/** Whether a letter chooses from a menu. */
function inMenu(target: EventTarget | null): boolean {
  return target instanceof Element && target.closest("[role=menu], [role=listbox]") !== null;
}

function useShortcuts() {
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (writing(event.target)) return;
      const command = event.ctrlKey || event.metaKey;
      if (command && event.key.toLowerCase() === "z") {
        event.preventDefault();
        if (event.shiftKey) redo();
        else undo();
      } else if (command && event.key.toLowerCase() === "y") {
        event.preventDefault();
        redo();
      } else if (event.key === "b" && !command && !inMenu(event.target)) {
        turnOver();
      }
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, []);
  useEffect(() => onSpace(togglePlaying), []);
}

function useDrop() {
  useEffect(() => {
    const over = (event: DragEvent) => event.preventDefault();
    const drop = (event: DragEvent) => {
      event.preventDefault();
      const files = [...(event.dataTransfer?.files ?? [])];
      const audio = files.filter(isAudio);
      const [first] = files;
      if (audio.length > 0) dropMaterial(audio);
      else if (first?.name.toLowerCase().endsWith(".scl")) void loadScale(first);
      else if (first) void dropMidi(first);
    };
    window.addEventListener("dragover", over);
    window.addEventListener("drop", drop);
    return () => {
      window.removeEventListener("dragover", over);
      window.removeEventListener("drop", drop);
    };
  }, []);
}

onKeepCopy(keepCopy);

/** What is still on its way when the page is closed goes in one request that outlives it. */
function useLastWords() {
  useEffect(() => {
    window.addEventListener("pagehide", lastWords);
    return () => window.removeEventListener("pagehide", lastWords);
  }, []);
}

export function App() {
  const catalogue = useQuery({
    queryKey: ["catalogue"],
    queryFn: () => taken(api.GET("/api/catalogue")),
    staleTime: Number.POSITIVE_INFINITY,
  });
  const productions = useOpenSound();
  const ready = useSession((s) => s.sound !== null);
  const length = useSession((s) => s.score?.length ?? 240);
  const [keys, setKeys] = useState(false);
  const material = useMaterialView((s) => s.open);
  const soundId = useSession((s) => s.soundId);
  const selection = useSession((s) => s.selection);
  useShortcuts();
  useDrop();
  useLastWords();
  useEffect(() => followPlayhead(length), [length]);
  const known = useMemo(
    () => (catalogue.data ? new Catalogue(catalogue.data.modules, catalogue.data.limits) : null),
    [catalogue.data],
  );
  const failure = catalogue.error ?? productions.error;
  if (failure) {
    return (
      <p role="alert" className="p-8 text-base text-warn">
        {failure.message} Reload the page once it runs.
      </p>
    );
  }
  if (!known || !ready) {
    return (
      <>
        <p role="status" className="p-8 text-base">
          Opening…
        </p>
        <NoticeBar />
      </>
    );
  }
  return (
    <CatalogueContext.Provider value={known}>
      <div key={soundId} className="flex min-h-full flex-col lg:h-full">
        <Header />
        <ErrorBoundary what="The sheet" again={soundId}>
          <Sheet />
        </ErrorBoundary>
        <Transport keys={keys} onKeys={() => setKeys(!keys)} />
        <div className="flex min-h-0 flex-1 flex-col lg:flex-row">
          <ErrorBoundary what="The list of layers" again={soundId}>
            <Layers />
          </ErrorBoundary>
          <ErrorBoundary what="The chain" again={selection}>
            <Editor />
          </ErrorBoundary>
          <ErrorBoundary what="The movement" again={soundId}>
            <Movement />
          </ErrorBoundary>
        </div>
        {keys && <Keys />}
      </div>
      {material && (
        <ErrorBoundary what="The material">
          <MaterialView />
        </ErrorBoundary>
      )}
      <NoticeBar />
    </CatalogueContext.Provider>
  );
}
