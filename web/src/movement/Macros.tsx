import { useRef, useState } from "react";
import type { Modulator, Value } from "../api/client";
import { type Catalogue, isHandle, modulatorPart } from "../document/catalogue";
import { newModulator } from "../document/edits";
import { change } from "../session/change";
import { useSkeleton } from "../session/hooks";
import { edit, endGesture, useSession } from "../session/store";
import { Strip } from "../strips/Strip";
import { useCatalogue } from "../ui/catalogue-context";
import { hold } from "../ui/hold";
import { startRecording, stopRecording, useRecording } from "./recording";

export const MOST_MACROS = 8;
const STEP = 2;

interface Placed {
  macro: Modulator;
  index: number;
}

function useMacros(): Placed[] {
  const catalogue = useCatalogue();
  const modulators = useSkeleton()?.modulators ?? [];
  return modulators
    .map((macro, index) => ({ macro, index }))
    .filter(({ macro }) => isHandle(catalogue, macro));
}

function addMacro(catalogue: Catalogue) {
  const { sound } = useSession.getState();
  if (!sound) return;
  const kind = catalogue.family("modulator").find((m) => m.editor === "handle")?.kind;
  if (!kind) return;
  const macro = newModulator(sound, catalogue, kind);
  edit("sound", [{ op: "add", path: "/modulators/-", value: macro }], `Add ${macro.name}`);
  useSession.setState({ modulator: macro.id });
}

/** The handles of a sound, each a strip, and a pad that moves two of them at once. */
export function Macros() {
  const catalogue = useCatalogue();
  const macros = useMacros();
  const [pad, setPad] = useState(false);
  const recording = useRecording((s) => s.modulator);
  const module = catalogue.family("modulator").find((m) => m.editor === "handle");
  const parameter = module?.parameters.find((p) => p.key === "value");
  if (!parameter) return null;
  return (
    <section aria-label="Macros" className="mb-2">
      <div className="mb-1 flex items-center gap-1">
        <h2 className="label flex-1 text-sm">Macros</h2>
        {macros.length >= 2 && (
          <button
            type="button"
            className="button-plain"
            aria-pressed={pad}
            onClick={() => setPad(!pad)}
          >
            X/Y pad
          </button>
        )}
        <button
          type="button"
          className="button-plain"
          disabled={macros.length >= MOST_MACROS}
          onClick={() => addMacro(catalogue)}
        >
          Add macro
        </button>
      </div>
      {pad && macros.length >= 2 && <Pad macros={macros} />}
      <div className="grid grid-cols-2 gap-1.5 2xl:grid-cols-3">
        {macros.map(({ macro, index }) => (
          <div key={macro.id} title={macro.about || undefined}>
            <Strip place={modulatorPart(macro, index)} parameter={parameter} name={macro.name} />
            <div className="flex justify-between">
              <button
                type="button"
                className="button-plain text-xs"
                onClick={() => useSession.setState({ modulator: macro.id })}
                aria-label={`Targets of ${macro.name}`}
              >
                targets…
              </button>
              <button
                type="button"
                className={`button-plain text-xs ${recording === macro.id ? "font-bold text-rose" : ""}`}
                aria-pressed={recording === macro.id}
                aria-label={`Record ${macro.name}`}
                title="While you listen, every move of the handle is drawn as its lane"
                onClick={() =>
                  recording === macro.id ? stopRecording() : startRecording(macro.id)
                }
              >
                {recording === macro.id ? "recording" : "record"}
              </button>
            </div>
          </div>
        ))}
      </div>
    </section>
  );
}

/** A field whose width is one macro and whose height is another. */
function Pad({ macros }: { macros: Placed[] }) {
  const [ids, setIds] = useState<[string, string]>([
    macros[0]?.macro.id ?? "",
    macros[1]?.macro.id ?? "",
  ]);
  const area = useRef<HTMLDivElement>(null);
  const [across, up] = ids.map(
    (id, i) => macros.find(({ macro }) => macro.id === id) ?? macros[i],
  ) as [Placed, Placed];
  const x = useSession((s) => Number(s.sound?.modulators[across.index]?.params.value ?? 0));
  const y = useSession((s) => Number(s.sound?.modulators[up.index]?.params.value ?? 0));
  const set = (nextX: number, nextY: number) => {
    const inRange = (v: number): Value => Number(Math.min(100, Math.max(0, v)).toFixed(1));
    change(
      `Move ${across.macro.name} and ${up.macro.name}`,
      () => [
        {
          op: "replace",
          path: `/modulators/${across.index}/params/value`,
          value: inRange(nextX),
        },
        { op: "replace", path: `/modulators/${up.index}/params/value`, value: inRange(nextY) },
      ],
      "pad",
    );
  };
  const place = (clientX: number, clientY: number) => {
    const box = area.current?.getBoundingClientRect();
    if (!box) return;
    set(((clientX - box.left) / box.width) * 100, (1 - (clientY - box.top) / box.height) * 100);
  };
  const dragging = useRef(false);
  const choose = (which: 0 | 1) => (
    <select
      className="bg-transparent text-slate"
      aria-label={which === 0 ? "Across" : "Upwards"}
      value={ids[which]}
      onChange={(event) =>
        setIds(which === 0 ? [event.target.value, ids[1]] : [ids[0], event.target.value])
      }
    >
      {macros.map(({ macro }) => (
        <option key={macro.id} value={macro.id}>
          {macro.name}
        </option>
      ))}
    </select>
  );
  return (
    <div className="mb-1.5">
      <div
        ref={area}
        role="slider"
        tabIndex={0}
        aria-label={`X/Y pad: ${across.macro.name} and ${up.macro.name}`}
        aria-valuenow={x}
        aria-valuetext={`${across.macro.name} ${x} %, ${up.macro.name} ${y} %`}
        aria-valuemin={0}
        aria-valuemax={100}
        className="relative h-32 cursor-crosshair touch-none border border-line bg-paper"
        onPointerDown={(event) => {
          dragging.current = true;
          hold(event, () => {
            dragging.current = false;
          });
          place(event.clientX, event.clientY);
        }}
        onPointerMove={(event) => dragging.current && place(event.clientX, event.clientY)}
        onKeyDown={(event) => {
          const size = event.shiftKey ? STEP / 4 : STEP;
          const aside = { ArrowLeft: -1, ArrowRight: 1 }[event.key] ?? 0;
          const upwards = { ArrowDown: -1, ArrowUp: 1 }[event.key] ?? 0;
          if (!aside && !upwards) return;
          set(x + aside * size, y + upwards * size);
          event.preventDefault();
          event.stopPropagation();
        }}
        onKeyUp={endGesture}
      >
        <div className="absolute inset-y-0 w-px bg-line" style={{ left: `${x}%` }} />
        <div className="absolute inset-x-0 h-px bg-line" style={{ top: `${100 - y}%` }} />
        <div
          className="absolute h-[11px] w-[11px] -translate-x-1/2 -translate-y-1/2 border border-ink bg-ink"
          style={{ left: `${x}%`, top: `${100 - y}%` }}
        />
      </div>
      <div className="flex justify-between text-xs">
        <span>→ {choose(0)}</span>
        <span>↑ {choose(1)}</span>
      </div>
    </div>
  );
}
