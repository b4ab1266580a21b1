import { useRef, useState } from "react";
import type { Sound } from "../api/client";
import type { Operation } from "../document/patch";
import { notify } from "../notices/notices";
import { change } from "../session/change";
import { endGesture, useSession } from "../session/store";
import { useCatalogue } from "../ui/catalogue-context";
import { hold } from "../ui/hold";
import { filled, type Pattern, resized, rolled, turned, withStep } from "./step-edits";

const HEIGHT = 104;
const TIE = 12;

function patternOf(sound: Sound | null, index: number): Pattern {
  const params = sound?.modulators[index]?.params;
  const list = (key: string) => (params?.[key] as number[] | undefined) ?? [];
  return {
    values: list("values"),
    bends: list("bends"),
    chances: list("chances"),
    ties: list("ties"),
  };
}

function written(index: number, pattern: Pattern): Operation[] {
  return (Object.keys(pattern) as (keyof Pattern)[]).map((key) => ({
    op: "replace",
    path: `/modulators/${index}/params/${key}`,
    value: pattern[key],
  }));
}

const percent = (value: number) => `${value < 0 ? "−" : ""}${Math.abs(Math.round(value))} %`;

/**
 * A step pattern: bars drawn with the mouse, Alt for how likely a step plays, the row below for
 * ties; or with keys, one step after the other.
 */
export function StepsEditor({ index, color }: { index: number; color: string }) {
  const params = useSession((s) => s.sound?.modulators[index]?.params);
  const most = useCatalogue()
    .module("modulator", "steps")
    .parameters.find((p) => p.key === "values")?.most;
  const area = useRef<HTMLDivElement>(null);
  const drawing = useRef<"values" | "chances" | null>(null);
  const [at, setAt] = useState(0);
  if (!params) return null;
  const pattern = filled(patternOf(useSession.getState().sound, index));
  const count = pattern.values.length;
  const set = (next: Pattern, gesture: string | null = null) =>
    change("Draw steps", () => written(index, next), gesture);
  const now = () => patternOf(useSession.getState().sound, index);
  const draw = (clientX: number, clientY: number, key: "values" | "chances") => {
    const box = area.current?.getBoundingClientRect();
    if (!box) return;
    const step = Math.min(
      count - 1,
      Math.max(0, Math.floor(((clientX - box.left) / box.width) * count)),
    );
    const part = 1 - Math.min(1, Math.max(0, (clientY - box.top) / box.height));
    const value = key === "values" ? Math.round(part * 200 - 100) : Math.round(part * 100);
    setAt(step);
    set(withStep(now(), step, key, value), "steps");
  };
  const focus = (step: number) => {
    const next = Math.min(count - 1, Math.max(0, step));
    setAt(next);
    (area.current?.querySelectorAll("[role=slider]")[next] as HTMLElement | undefined)?.focus();
  };
  const onKey = (event: React.KeyboardEvent, step: number) => {
    const size = event.shiftKey ? 1 : 5;
    const up = { ArrowUp: 1, ArrowDown: -1, PageUp: 4, PageDown: -4 }[event.key];
    const bounded = (value: number, low: number) => Math.min(100, Math.max(low, value));
    if (up && event.altKey) {
      const chance = bounded((pattern.chances[step] ?? 100) + up * size, 0);
      set(withStep(now(), step, "chances", chance), "step keys");
    } else if (up && (event.ctrlKey || event.metaKey)) {
      const bend = bounded((pattern.bends[step] ?? 0) + up * size, -100);
      set(withStep(now(), step, "bends", bend), "step keys");
    } else if (up) {
      const value = bounded((pattern.values[step] ?? 0) + up * size, -100);
      set(withStep(now(), step, "values", value), "step keys");
    } else if (event.key === "ArrowLeft") focus(step - 1);
    else if (event.key === "ArrowRight") focus(step + 1);
    else if (event.key === "Home") focus(0);
    else if (event.key === "End") focus(count - 1);
    else if (event.key === "t") {
      set(withStep(now(), step, "ties", (pattern.ties[step] ?? 0) < 50 ? 100 : 0));
    } else return;
    event.preventDefault();
    event.stopPropagation();
  };
  const resize = (text: string) => {
    const wanted = Number(text);
    if (!Number.isInteger(wanted) || wanted < 1 || wanted > (most ?? 128)) {
      notify(`A pattern has 1 to ${most} steps.`);
    } else if (wanted !== count) set(resized(now(), wanted));
  };
  return (
    <div className="mb-2">
      <div
        ref={area}
        className="relative flex touch-none select-none border border-line bg-paper"
        style={{ height: HEIGHT }}
        title="Draw values; Alt and draw say how likely a step plays"
        onPointerDown={(event) => {
          drawing.current = event.altKey ? "chances" : "values";
          hold(event, () => {
            drawing.current = null;
          });
          draw(event.clientX, event.clientY, drawing.current);
        }}
        onPointerMove={(event) => {
          if (drawing.current) draw(event.clientX, event.clientY, drawing.current);
        }}
      >
        <div className="pointer-events-none absolute inset-x-0 top-1/2 border-t border-line" />
        {pattern.values.map((value, step) => (
          <div
            // biome-ignore lint/suspicious/noArrayIndexKey: a step is known by its place
            key={step}
            role="slider"
            tabIndex={step === at ? 0 : -1}
            aria-label={`Step ${step + 1}`}
            aria-valuemin={-100}
            aria-valuemax={100}
            aria-valuenow={value}
            aria-valuetext={`${percent(value)}${
              (pattern.chances[step] ?? 100) < 100 ? `, plays ${pattern.chances[step]} %` : ""
            }${(pattern.ties[step] ?? 0) >= 50 ? ", tied" : ""}`}
            className="relative h-full min-w-0 flex-1 border-r border-mist last:border-0"
            onFocus={() => setAt(step)}
            onKeyDown={(event) => onKey(event, step)}
            onKeyUp={endGesture}
          >
            <div
              className="absolute inset-x-px"
              style={{
                background: (pattern.ties[step] ?? 0) >= 50 ? "var(--color-line)" : color,
                opacity: 0.2 + (0.8 * (pattern.chances[step] ?? 100)) / 100,
                top: `${50 - Math.max(0, value) / 2}%`,
                height: `${Math.max(1.5, Math.abs(value) / 2)}%`,
              }}
            />
          </div>
        ))}
      </div>
      <div className="flex" style={{ height: TIE }}>
        {pattern.ties.map((tie, step) => (
          <button
            // biome-ignore lint/suspicious/noArrayIndexKey: a step is known by its place
            key={step}
            type="button"
            tabIndex={-1}
            className={`min-w-0 flex-1 border-b border-r border-line ${tie >= 50 ? "bg-slate" : "bg-mist"}`}
            aria-label={`Tie step ${step + 1}`}
            aria-pressed={tie >= 50}
            title="Tied to the step before"
            onClick={() => set(withStep(now(), step, "ties", tie < 50 ? 100 : 0))}
          />
        ))}
      </div>
      <div className="mt-1 flex items-center gap-1">
        <label className="flex items-center gap-1">
          <span className="label">Steps</span>
          <input
            key={count}
            className="field w-11 py-0 text-right"
            inputMode="numeric"
            defaultValue={count}
            onBlur={(event) => resize(event.target.value)}
            onKeyDown={(event) => {
              if (event.key === "Enter") resize(event.currentTarget.value);
            }}
          />
        </label>
        <button
          type="button"
          className="button-plain"
          onClick={() => set(rolled(now(), Math.random))}
        >
          Roll values
        </button>
        <button
          type="button"
          className="button-plain"
          aria-label="Turn the pattern back"
          onClick={() => set(turned(now(), -1))}
        >
          ←
        </button>
        <button
          type="button"
          className="button-plain"
          aria-label="Turn the pattern on"
          onClick={() => set(turned(now(), 1))}
        >
          →
        </button>
        <span className="label ml-auto">
          {at + 1}: {percent(pattern.values[at] ?? 0)}
        </span>
      </div>
    </div>
  );
}
