import { useState } from "react";
import { shownNumber } from "../document/values";
import type { Change, RecordingCard, Step } from "./library";
import type { View } from "./zoom";

function describe(step: Step): string {
  switch (step.do) {
    case "trim":
      return `Trim to ${shownNumber(step.start, 3)}–${shownNumber(step.end, 3)} s`;
    case "fade":
      return `Fade in ${shownNumber(step.rise ?? 0, 3)} s, out ${shownNumber(step.fall ?? 0, 3)} s`;
    case "normalise":
      return `Normalise to ${shownNumber(step.peak ?? -1, 1)} dBFS`;
    default:
      return "Reverse";
  }
}

/** What is done to a recording, in order; each step can be taken out again. */
export function Steps({ card, view, change }: { card: RecordingCard; view: View; change: Change }) {
  const [fades, setFades] = useState({ rise: 0.05, fall: 0.2 });
  const [peak, setPeak] = useState(-1);
  const add = (step: Step, label: string) =>
    void change({ steps: [...card.steps, step] as never }, label);
  const seconds = (key: "rise" | "fall", label: string) => (
    <label className="flex items-center gap-1">
      <span className="label">{label}</span>
      <input
        type="number"
        min={0}
        max={60}
        step={0.01}
        className="field w-[70px]"
        value={fades[key]}
        onChange={(event) => setFades({ ...fades, [key]: Math.max(0, Number(event.target.value)) })}
      />
      s
    </label>
  );
  return (
    <div>
      <ol className="mb-2">
        {card.steps.map((step, i) => (
          <li
            // biome-ignore lint/suspicious/noArrayIndexKey: steps have no identity but their place
            key={i}
            className="mb-1 flex items-center gap-2 border border-line bg-paper px-2 py-0.5"
          >
            <span className="flex-1">
              {i + 1}. {describe(step)}
            </span>
            <button
              type="button"
              className="button-plain"
              aria-label={`Take out ${describe(step)}`}
              onClick={() =>
                void change(
                  { steps: card.steps.filter((_, k) => k !== i) as never },
                  `Take out ${describe(step)}`,
                )
              }
            >
              Take out
            </button>
          </li>
        ))}
        {card.steps.length === 0 && <li className="label">None: as recorded</li>}
      </ol>
      <div className="flex flex-wrap items-center gap-2">
        <button
          type="button"
          className="button"
          disabled={!view.chosen}
          title={view.chosen ? "" : "First drag over the part of the waveform to keep"}
          onClick={() => {
            const [start, end] = view.chosen ?? [0, view.seconds];
            add({ do: "trim", start, end }, "Trim");
          }}
        >
          Trim to selection
        </button>
        <button type="button" className="button" onClick={() => add({ do: "reverse" }, "Reverse")}>
          Reverse
        </button>
      </div>
      <div className="mt-2 flex flex-wrap items-center gap-2">
        {seconds("rise", "In")}
        {seconds("fall", "Out")}
        <button
          type="button"
          className="button"
          onClick={() => add({ do: "fade", ...fades }, "Fade")}
        >
          Fade
        </button>
        <label className="ml-3 flex items-center gap-1">
          <span className="label">Peak</span>
          <input
            type="number"
            min={-60}
            max={0}
            step={0.5}
            className="field w-[64px]"
            value={peak}
            onChange={(event) => setPeak(Math.min(0, Math.max(-60, Number(event.target.value))))}
          />
          dBFS
        </label>
        <button
          type="button"
          className="button"
          onClick={() => add({ do: "normalise", peak }, "Normalise")}
        >
          Normalise
        </button>
      </div>
    </div>
  );
}
