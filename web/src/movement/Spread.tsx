import { useState } from "react";
import { targets as allTargets, type Target } from "../document/catalogue";
import { newSeed } from "../document/edits";
import { gentleDepth, respread, spread } from "../document/spreading";
import { shownDepth, span } from "../document/values";
import { change } from "../session/change";
import { edit, endGesture, useSession } from "../session/store";
import { useCatalogue } from "../ui/catalogue-context";
import { Panel } from "../ui/Panel";

const SHORTEST = 2;
const LONGEST = 180;
const MOST_CHOSEN = 24;
/** All that is set while the panel is open is one step of undo. */
const GESTURE = "spread";

/** What is worth moving a little: sounds differ more by these than by times and whole numbers. */
function worthMoving(target: Target): boolean {
  const { parameter, place } = target;
  return parameter.kind === "number" && place.family !== "modulator" && place.path !== "sound";
}

/** The seconds of a period on a slider from 0 to 1, and back. */
const periodAt = (part: number) => SHORTEST * (LONGEST / SHORTEST) ** part;
const partOf = (period: number) => Math.log(period / SHORTEST) / Math.log(LONGEST / SHORTEST);

/**
 * Moves many parameters slightly, each by a slow random source of its own. What is set is heard at
 * once, and all of it is one step of undo.
 */
export function Spread() {
  const catalogue = useCatalogue();
  const [open, setOpen] = useState(false);
  const [sought, setSought] = useState("");
  const [chosen, setChosen] = useState<string[]>([]);
  const [amount, setAmount] = useState(1);
  const [period, setPeriod] = useState(24);
  const [eachNote, setEachNote] = useState(false);
  const [made, setMade] = useState<string | null>(null);
  const sound = useSession((s) => (open ? s.sound : null));
  const there = sound ? allTargets(sound, catalogue).filter(worthMoving) : [];
  const words = sought.toLowerCase().split(/\s+/).filter(Boolean);
  const found = there.filter((t) => {
    const text = `${t.label} ${t.place.owner}`.toLowerCase();
    return words.every((word) => text.includes(word));
  });
  const wish = (ids: string[], more: { amount?: number; period?: number; eachNote?: boolean }) => ({
    targets: there.filter((t) => ids.includes(t.address)),
    amount,
    period,
    eachNote,
    ...more,
  });
  const set = (more: { amount?: number; period?: number; eachNote?: boolean }) => {
    if (more.amount !== undefined) setAmount(more.amount);
    if (more.period !== undefined) setPeriod(more.period);
    if (more.eachNote !== undefined) setEachNote(more.eachNote);
    if (made) change("Spread movement", (now) => respread(now, made, wish(chosen, more)), GESTURE);
  };
  const act = () => {
    const { sound: now } = useSession.getState();
    if (!now) return;
    const { operations, modulator } = spread(now, catalogue, wish(chosen, {}), newSeed());
    edit("sound", operations, "Spread movement", GESTURE);
    useSession.setState({ modulator });
    setMade(modulator);
  };
  const owners = [...new Set(found.map((t) => t.place.owner))];
  return (
    <Panel
      button="Spread a little"
      title="Spread a little movement"
      className="button-plain"
      open={open}
      onOpen={(next) => {
        endGesture();
        setOpen(next);
        setMade(null);
        setChosen([]);
      }}
      place="right-4 top-24 max-h-[80vh] w-[420px]"
      hint="Many parameters, each moved slightly by a random source of its own"
    >
      <p className="label mb-2">
        Choose what should move. Each gets slow random values of its own, as far as suits it.
      </p>
      <label className="mb-1 flex items-center gap-2">
        <span className="label w-16">Amount</span>
        <input
          type="range"
          className="flex-1"
          min={0.1}
          max={4}
          step={0.05}
          value={amount}
          onChange={(event) => set({ amount: Number(event.target.value) })}
        />
        <b className="w-16 text-right">{Math.round(amount * 100)} %</b>
      </label>
      <label className="mb-1 flex items-center gap-2">
        <span className="label w-16">Every</span>
        <input
          type="range"
          className="flex-1"
          min={0}
          max={1}
          step={0.01}
          value={partOf(period)}
          aria-valuetext={span(period)}
          onChange={(event) =>
            set({ period: Number(periodAt(Number(event.target.value)).toPrecision(2)) })
          }
        />
        <b className="w-16 text-right">{span(period)}</b>
      </label>
      <label className="mb-2 flex items-center gap-2">
        <input
          type="checkbox"
          checked={eachNote}
          onChange={(event) => set({ eachNote: event.target.checked })}
        />
        each note by itself
      </label>
      {made === null ? (
        <>
          <div className="mb-1 flex gap-2">
            <input
              className="field min-w-0 flex-1"
              aria-label="Search parameters"
              placeholder="Search, for example cutoff"
              value={sought}
              onChange={(event) => setSought(event.target.value)}
            />
            <button
              type="button"
              className="button button-ink"
              disabled={chosen.length === 0}
              onClick={act}
            >
              Move {chosen.length}
            </button>
          </div>
          <div className="max-h-[38vh] overflow-y-auto">
            {owners.map((owner) => (
              <fieldset key={owner} className="border-t border-line py-1">
                <legend className="label text-xs font-semibold">{owner}</legend>
                {found
                  .filter((t) => t.place.owner === owner)
                  .map((t) => (
                    <label key={t.address} className="flex items-center gap-2">
                      <input
                        type="checkbox"
                        checked={chosen.includes(t.address)}
                        disabled={!chosen.includes(t.address) && chosen.length >= MOST_CHOSEN}
                        onChange={(event) =>
                          setChosen(
                            event.target.checked
                              ? [...chosen, t.address]
                              : chosen.filter((a) => a !== t.address),
                          )
                        }
                      />
                      <span className="flex-1 truncate">{t.label}</span>
                      <span className="label text-xs">
                        {shownDepth(gentleDepth(t, amount), t.parameter.depth_unit, true)}
                      </span>
                    </label>
                  ))}
              </fieldset>
            ))}
          </div>
        </>
      ) : (
        <p role="status">
          {chosen.length} parameters move now. Set amount and speed while you listen; undo takes it
          all back.
        </p>
      )}
    </Panel>
  );
}
