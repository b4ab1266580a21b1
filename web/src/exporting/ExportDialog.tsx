import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type RenderIn, type RenderOut, taken } from "../api/client";
import { refresh } from "../api/refresh";
import { clock } from "../document/values";
import { useLive } from "../live/socket";
import { notify } from "../notices/notices";
import { useSession } from "../session/store";
import { Panel } from "../ui/Panel";
import { FORMAT_NAMES, FORMATS } from "./formats";

const STATES: Record<string, string> = {
  waiting: "Waiting",
  running: "Rendering",
  done: "Done",
  cancelled: "Cancelled",
  failed: "Failed",
  "cut off": "Cut off",
};
function RenderRow({ render, onChange }: { render: RenderOut; onChange: () => void }) {
  const news = useLive((s) => s.renders[render.id]);
  const state = news?.state ?? render.state;
  const progress = news?.progress ?? render.progress;
  const message = news?.message || render.message;
  const path = { params: { path: { render_id: render.id } } };
  const act = (doing: Promise<unknown>) =>
    doing.then(onChange, (error: Error) => notify(error.message));
  const under = state === "waiting" || state === "running";
  return (
    <li className="border-b border-line py-1.5" data-render={render.id} data-state={state}>
      <div className="flex items-center gap-2">
        <span className="min-w-0 flex-1 truncate">
          {render.file_name}{" "}
          <span className="label">
            {FORMATS[render.sample_format as RenderIn["sample_format"]].name},{" "}
            {clock(render.end - render.start)}
          </span>
        </span>
        <span>
          {STATES[state]}
          {state === "running" ? ` ${Math.round(progress * 100)} %` : ""}
        </span>
        {under && (
          <button
            type="button"
            className="button-plain"
            onClick={() => act(taken(api.POST("/api/renders/{render_id}/cancel", path)))}
          >
            Cancel
          </button>
        )}
        {state === "done" && (
          <a className="button" href={`/api/renders/${render.id}/file`}>
            Save file
          </a>
        )}
        {["cancelled", "failed", "cut off"].includes(state) && (
          <button
            type="button"
            className="button-plain"
            onClick={() => act(taken(api.POST("/api/renders/{render_id}/again", path)))}
          >
            Render again
          </button>
        )}
      </div>
      {under && (
        <progress
          className="h-1.5 w-full"
          value={progress}
          max={1}
          aria-label="Progress of the render"
        />
      )}
      {message && <p className="text-warn">{message}</p>}
    </li>
  );
}

export function ExportButton() {
  const [open, setOpen] = useState(false);
  return (
    <Panel
      button="Export"
      title="Export"
      open={open}
      onOpen={setOpen}
      className="button button-ink"
      place="right-4 top-12 max-h-[80vh] w-[460px]"
    >
      {open && <ExportForm />}
    </Panel>
  );
}

function ExportForm() {
  const soundId = useSession((s) => s.soundId) ?? 0;
  const length = useSession((s) => s.score?.length ?? 0);
  const loop = useLive((s) => s.loop);
  const queries = useQueryClient();
  const key = ["renders", soundId];
  const path = { path: { sound_id: soundId } };
  const renders = useQuery({
    queryKey: key,
    queryFn: () => taken(api.GET("/api/sounds/{sound_id}/renders", { params: path })),
  });
  const [container, setContainer] = useState<"wav" | "flac">("wav");
  const [format, setFormat] = useState<RenderIn["sample_format"]>("pcm24");
  const [rate, setRate] = useState<44100 | 48000 | 96000>(48000);
  const [whole, setWhole] = useState(true);
  const [tail, setTail] = useState("2");
  const [problem, setProblem] = useState("");
  const again = () => refresh(queries, key);
  const begin = async () => {
    const seconds = Number(tail.replace(",", "."));
    if (!(seconds >= 0 && seconds <= 60)) {
      setProblem("The tail is between 0 and 60 seconds.");
      return;
    }
    const span = !whole && loop ? { start: loop[0], end: loop[1] } : { start: 0, end: length };
    const body: RenderIn = { container, sample_format: format, rate, tail: seconds, ...span };
    try {
      await taken(api.POST("/api/sounds/{sound_id}/renders", { params: path, body }));
      setProblem("");
    } catch (error) {
      setProblem(error instanceof Error ? error.message : String(error));
    }
    await again();
  };
  return (
    <>
      <form
        className="grid grid-cols-3 gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          void begin();
        }}
      >
        <label>
          <span className="label block">File</span>
          <select
            className="field w-full"
            value={container}
            onChange={(event) => {
              const next = event.target.value as "wav" | "flac";
              setContainer(next);
              if (!FORMATS[format].containers.includes(next)) setFormat("pcm24");
            }}
          >
            <option value="wav">WAV</option>
            <option value="flac">FLAC</option>
          </select>
        </label>
        <label>
          <span className="label block">Format</span>
          <select
            className="field w-full"
            value={format}
            onChange={(event) => setFormat(event.target.value as typeof format)}
          >
            {FORMAT_NAMES.filter((one) => FORMATS[one].containers.includes(container)).map(
              (one) => (
                <option key={one} value={one}>
                  {FORMATS[one].name}
                </option>
              ),
            )}
          </select>
        </label>
        <label>
          <span className="label block">Sample rate</span>
          <select
            className="field w-full"
            value={rate}
            onChange={(event) => setRate(Number(event.target.value) as typeof rate)}
          >
            <option value={44100}>44.1 kHz</option>
            <option value={48000}>48 kHz</option>
            <option value={96000}>96 kHz</option>
          </select>
        </label>
        <label>
          <span className="label block">Length</span>
          <select
            className="field w-full"
            value={whole || !loop ? "whole" : "loop"}
            onChange={(event) => setWhole(event.target.value === "whole")}
          >
            <option value="whole">Whole cue, {clock(length)}</option>
            {loop && <option value="loop">Loop, {clock(loop[1] - loop[0])}</option>}
          </select>
        </label>
        <label>
          <span className="label block">Tail in seconds</span>
          <input
            className="field w-full text-right"
            inputMode="decimal"
            value={tail}
            onChange={(event) => setTail(event.target.value)}
          />
        </label>
        <button type="submit" className="button button-ink self-end">
          Render
        </button>
      </form>
      {problem && (
        <p role="alert" className="mt-2 text-warn">
          {problem}
        </p>
      )}
      <p className="mt-2">
        <a className="underline" href={`/api/sounds/${soundId}/file`}>
          Save the sound's document (JSON)
        </a>
      </p>
      <ul className="mt-2">
        {(renders.data ?? []).map((render) => (
          <RenderRow key={render.id} render={render} onChange={again} />
        ))}
      </ul>
      {renders.error && (
        <p role="alert" className="text-warn">
          {renders.error.message}
        </p>
      )}
    </>
  );
}
