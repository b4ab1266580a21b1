import { useEffect, useRef, useState } from "react";
import { keyName } from "../document/values";
import { lift, press } from "../live/socket";
import { hold } from "../ui/hold";
import { midiKey, writing } from "./computer-keys";
import { listenToMidi } from "./midi-input";

const OCTAVES = 4;
const VELOCITY = 96;
const BLACK = new Set([1, 3, 6, 8, 10]);

/** A piano to play over what is heard, by mouse, touch or the computer's keys. */
export function Keys() {
  const [base, setBase] = useState(36);
  const [down, setDown] = useState<ReadonlySet<number>>(new Set());
  const held = useRef(new Map<string, number>());
  const play = (key: number) => {
    setDown((keys) => new Set(keys).add(key));
    void press(key, VELOCITY);
  };
  const release = (key: number) => {
    setDown((keys) => new Set([...keys].filter((k) => k !== key)));
    lift(key);
  };
  const acts = useRef({ play, release, base });
  acts.current = { play, release, base };
  useEffect(() => {
    const onDown = (event: KeyboardEvent) => {
      if (writing(event.target) || event.repeat || event.metaKey || event.ctrlKey || event.altKey)
        return;
      if (event.code === "KeyZ" || event.code === "KeyX") {
        setBase((b) => Math.min(84, Math.max(12, b + (event.code === "KeyX" ? 12 : -12))));
        return;
      }
      const key = midiKey(event.code, acts.current.base + 12);
      if (key === null || held.current.has(event.code)) return;
      held.current.set(event.code, key);
      acts.current.play(key);
    };
    const onUp = (event: KeyboardEvent) => {
      const key = held.current.get(event.code);
      if (key === undefined) return;
      held.current.delete(event.code);
      acts.current.release(key);
    };
    const letGo = () => {
      for (const key of held.current.values()) acts.current.release(key);
      held.current.clear();
    };
    window.addEventListener("keydown", onDown);
    window.addEventListener("keyup", onUp);
    window.addEventListener("blur", letGo);
    return () => {
      letGo();
      window.removeEventListener("keydown", onDown);
      window.removeEventListener("keyup", onUp);
      window.removeEventListener("blur", letGo);
    };
  }, []);
  const [inputs, setInputs] = useState<number | null>(null);
  useEffect(() => {
    let stop: () => void = () => undefined;
    let over = false;
    const show = (key: number, on: boolean) =>
      setDown((keys) =>
        on ? new Set(keys).add(key) : new Set([...keys].filter((k) => k !== key)),
      );
    void listenToMidi(show, (count) => !over && setInputs(count)).then((end) => {
      stop = end;
      if (over) end();
    });
    return () => {
      over = true;
      stop();
    };
  }, []);
  const keys = Array.from({ length: OCTAVES * 12 + 1 }, (_, i) => base + i);
  return (
    <section
      aria-label="Keys"
      className="flex h-[92px] shrink-0 items-stretch gap-3 border-t border-line bg-fog px-4 py-2"
    >
      <div className="flex w-32 flex-col justify-center gap-1">
        <span className="label text-xs">
          A to ; play, Z and X change the octave
          {inputs ? `; ${inputs} MIDI ${inputs === 1 ? "keyboard" : "keyboards"}` : ""}
        </span>
        <div className="flex gap-1">
          <button
            type="button"
            className="button px-2"
            onClick={() => setBase((b) => Math.max(12, b - 12))}
          >
            Lower
          </button>
          <button
            type="button"
            className="button px-2"
            onClick={() => setBase((b) => Math.min(84, b + 12))}
          >
            Higher
          </button>
        </div>
      </div>
      <div className="flex flex-1 touch-none" data-testid="piano">
        {keys.map((key) => {
          const black = BLACK.has(key % 12);
          const pressed = down.has(key);
          return (
            <button
              key={key}
              type="button"
              aria-label={keyName(key)}
              aria-pressed={pressed}
              className={`min-w-0 flex-1 border border-line ${
                pressed ? "bg-slate" : black ? "mb-6 bg-ink" : "bg-paper"
              } pb-0.5 text-[10px] text-slate`}
              style={{ alignSelf: "stretch" }}
              onPointerDown={(event) => {
                hold(event, () => release(key));
                play(key);
              }}
              onKeyDown={(event) => {
                if (event.key !== "Enter" || event.repeat) return;
                play(key);
              }}
              onKeyUp={(event) => event.key === "Enter" && release(key)}
            >
              <span className="flex h-full items-end justify-center">
                {key % 12 === 0 ? keyName(key) : ""}
              </span>
            </button>
          );
        })}
      </div>
    </section>
  );
}
