import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, bytes, taken } from "../api/client";
import { refresh } from "../api/refresh";
import { keyName, parsedKey } from "../document/values";
import { notify } from "../notices/notices";
import { Section } from "../ui/Section";
import { CutPreview } from "./CutPreview";
import { hear, hush, useHearing } from "./hearing";
import { type Cut, MATERIAL, type RecordingCard, useMaterialView } from "./library";

type Method = "cycles" | "spectrum";
const SOON_MS = 250;

/** Cut a wavetable from a recording: seen and heard before it is kept. */
export function CutFromRecording({ card }: { card: RecordingCard }) {
  const queries = useQueryClient();
  const [method, setMethod] = useState<Method>("cycles");
  const [frames, setFrames] = useState(32);
  const [note, setNote] = useState(card.root === null ? "A2" : keyName(card.root));
  const [name, setName] = useState(`${card.name} table`);
  const [cut, setCut] = useState<Cut | null>(null);
  const [problem, setProblem] = useState("");
  const heard = useHearing((s) => s.what);
  const root = parsedKey(note);
  const steps = JSON.stringify(card.steps);
  const body = { method, frames, name: name.trim() || "Cut table", root: root ?? 45 };
  const params = { path: { key: card.key } };
  // biome-ignore lint/correctness/useExhaustiveDependencies: a change of the steps is one of the cut
  useEffect(() => {
    if (root === null) {
      setProblem(`“${note}” is not a note. Write a name such as C#3 or a key number.`);
      return;
    }
    let current = true;
    const timer = setTimeout(() => {
      taken(
        api.POST("/api/material/{key}/cut", {
          params,
          body: { method, frames, root, name: "Cut" },
        }),
      ).then(
        (found) => {
          if (!current) return;
          setCut(found);
          setProblem("");
        },
        (error: Error) => current && setProblem(error.message),
      );
    }, SOON_MS);
    return () => {
      current = false;
      clearTimeout(timer);
    };
  }, [card.key, steps, method, frames, root]);
  const keep = async () => {
    try {
      const kept = await taken(api.POST("/api/material/{key}/cut/keep", { params, body }));
      await refresh(queries, MATERIAL);
      useMaterialView.setState({ key: kept.card.key });
      notify(`${kept.card.name} is in the library; choose it in a wavetable layer.`, "news");
    } catch (error) {
      notify((error as Error).message);
    }
  };
  const listen = () =>
    hear(`cut of ${card.key}`, () =>
      bytes(`/api/material/${card.key}/cut/audio`, {
        method: "POST",
        body: JSON.stringify(body),
        headers: { "Content-Type": "application/json" },
      }),
    ).catch((error: Error) => notify(error.message));
  return (
    <Section title="Cut a wavetable" about="its cycles become positions of a table" columns={1}>
      <div className="flex flex-wrap items-center gap-3">
        <label className="flex items-center gap-1">
          <span className="label">Cut</span>
          <select
            className="field"
            aria-label="Method of cutting"
            value={method}
            onChange={(event) => setMethod(event.target.value as Method)}
          >
            <option value="cycles">by cycles at the pitch</option>
            <option value="spectrum">by the spectrum at its multiples</option>
          </select>
        </label>
        <label className="flex items-center gap-1">
          <span className="label">at</span>
          <input
            className="field w-24"
            value={note}
            aria-label="Note to cut at"
            onChange={(event) => setNote(event.target.value)}
          />
        </label>
        <label className="flex items-center gap-1">
          <span className="label">into</span>
          <input
            type="number"
            min={1}
            max={128}
            className="field w-16"
            aria-label="Cycles"
            value={frames}
            onChange={(event) =>
              setFrames(Math.min(128, Math.max(1, Math.round(Number(event.target.value) || 1))))
            }
          />
          cycles
        </label>
        <label className="flex items-center gap-1">
          <span className="label">named</span>
          <input
            className="field w-44"
            value={name}
            onChange={(event) => setName(event.target.value)}
          />
        </label>
        <button
          type="button"
          className="button"
          disabled={!cut || root === null}
          onClick={() => (heard === `cut of ${card.key}` ? hush() : void listen())}
        >
          {heard === `cut of ${card.key}` ? "Stop" : "Play cut"}
        </button>
        <button
          type="button"
          className="button button-ink"
          disabled={!cut || root === null}
          onClick={() => void keep()}
        >
          Keep table
        </button>
      </div>
      {problem && (
        <p role="alert" className="text-warn">
          {problem}
        </p>
      )}
      {cut && !problem && <CutPreview cut={cut} />}
    </Section>
  );
}
