import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { bytes } from "../api/client";
import { refresh } from "../api/refresh";
import { keyName, shownNumber } from "../document/values";
import { notify } from "../notices/notices";
import { EditableName } from "../ui/EditableName";
import { NoteField } from "../ui/NoteField";
import { Section } from "../ui/Section";
import { CutFromRecording } from "./CutFromRecording";
import { hear, hush, useHearing } from "./hearing";
import { Loops } from "./Loops";
import {
  type Change,
  changeCard,
  letGo,
  MATERIAL,
  type Material,
  type RecordingCard,
} from "./library";
import { RecordingPicture } from "./RecordingPicture";
import { Steps } from "./Steps";
import type { View } from "./zoom";

function Root({ card, change }: { card: RecordingCard; change: Change }) {
  return (
    <div className="flex items-center gap-2">
      <NoteField
        label="Root note"
        value={card.root}
        onKeep={(root) => void change({ root }, "Root note")}
        onEmpty={() => void change({ no_root: true }, "No pitch")}
      />
      {card.detected !== null && card.detected !== card.root && (
        <button
          type="button"
          className="button-plain"
          onClick={() => void change({ root: card.detected as number }, "Detected root")}
        >
          use detected {keyName(card.detected as number)}
        </button>
      )}
    </div>
  );
}

/** One recording: how it looks and sounds, its root, steps and loop, and tables cut from it. */
export function RecordingDetail({ entry, card }: { entry: Material; card: RecordingCard }) {
  const queries = useQueryClient();
  const [view, setView] = useState<View>({ start: 0, end: null, chosen: null, seconds: 0 });
  const heard = useHearing((s) => s.what);
  const again = () => refresh(queries, MATERIAL);
  const change: Change = async (fields, label) => {
    if (await changeCard(card, fields, label)) await again();
  };
  const audio = () => bytes(`/api/material/${card.key}/audio`);
  return (
    <>
      <div className="mb-2 flex items-baseline gap-3">
        <EditableName
          name={card.name}
          label="Recording"
          className="text-base font-bold"
          onChange={(name) => void change({ name }, "Rename")}
        />
        <span className="label min-w-0 flex-1 truncate">
          {card.origin.replace(/\.$/, "")}
          {entry.used_by.length > 0 && `; used by ${entry.used_by.join(", ")}`}
        </span>
        <button
          type="button"
          className="button"
          onClick={() =>
            heard === card.key
              ? hush()
              : void hear(card.key, audio, null, view.chosen?.[0] ?? 0).catch((e) =>
                  notify(e.message),
                )
          }
        >
          {heard === card.key ? "Stop" : "Play"}
        </button>
        {!entry.shipped && (
          <button type="button" className="button-plain" onClick={() => void letGo(card, again)}>
            Let go
          </button>
        )}
      </div>
      <RecordingPicture card={card} view={view} onView={setView} />
      <div className="mb-3 mt-2 flex flex-wrap items-center gap-x-6 gap-y-1">
        <Root card={card} change={change} />
        <span>
          <span className="label">Loudness</span>{" "}
          <b>{card.loudness === null ? "silent" : `${shownNumber(card.loudness, 1)} LUFS`}</b>
        </span>
        <span>
          <span className="label">Peak</span>{" "}
          <b>{card.peak === null ? "silent" : `${shownNumber(card.peak, 1)} dBFS`}</b>
        </span>
        <span>
          <span className="label">Rate</span> <b>{shownNumber(card.rate / 1000)} kHz</b>
        </span>
        <span>
          <span className="label">Length</span> <b>{shownNumber(view.seconds, 2)} s</b>
        </span>
      </div>
      <div className="grid grid-cols-2 gap-4">
        <Section title="Steps" about="done before it is heard; the file stays as it is" columns={1}>
          <Steps card={card} view={view} change={change} />
        </Section>
        <Section title="Loop" about="what the sampler repeats while a note is held" columns={1}>
          <Loops key={card.key} card={card} seconds={view.seconds} change={change} />
        </Section>
      </div>
      <CutFromRecording card={card} />
    </>
  );
}
