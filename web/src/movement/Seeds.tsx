import { useQuery } from "@tanstack/react-query";
import type { Modulator } from "../api/client";
import { api, taken } from "../api/client";
import { newSeed } from "../document/edits";
import { forgetRoll, keptRolls, nameRoll, reseed } from "../document/seeds";
import { change } from "../session/change";
import { edit, useSession } from "../session/store";
import { useCatalogue } from "../ui/catalogue-context";
import { EditableName } from "../ui/EditableName";

const WIDTH = 96;
const HEIGHT = 26;

function line(values: number[]): string {
  const low = Math.min(0, ...values);
  const step = WIDTH / Math.max(1, values.length - 1);
  return values
    .map((v, i) => `${(i * step).toFixed(1)} ${((1 - (v - low) / (1 - low)) * HEIGHT).toFixed(1)}`)
    .join("L");
}

/** Every seed that a modulator had as a small picture, to come back to; the good ones named. */
export function Seeds({
  modulator,
  index,
  color,
}: {
  modulator: Modulator;
  index: number;
  color: string;
}) {
  const most = useCatalogue().limits.rolls;
  const soundId = useSession((s) => s.soundId) ?? 0;
  const seed = useSession((s) => s.sound?.modulators[index]?.seed ?? 0);
  const saved = useSession((s) => s.saving === "saved");
  const rolls = keptRolls(modulator.rolls, seed, most);
  const seeds = rolls.map((roll) => roll.seed);
  const pictures = useQuery({
    queryKey: ["rolls", soundId, modulator.id, seeds],
    queryFn: () =>
      taken(
        api.POST("/api/sounds/{sound_id}/rolls", {
          params: { path: { sound_id: soundId } },
          body: { modulator: modulator.id, seeds },
        }),
      ),
    // What was only just made is not known to the server before it is saved.
    enabled: saved && rolls.length > 0,
    placeholderData: (before) => before,
  });
  const take = (next: number, label: string) =>
    change(label, (sound) => reseed(sound, index, next, most));
  return (
    <div className="mb-2">
      <div className="flex items-center gap-1">
        <h4 className="label flex-1 text-xs font-semibold">Seeds</h4>
        <button
          type="button"
          className="button-plain"
          aria-pressed={modulator.locked}
          title="A locked one keeps its seed when all are reseeded"
          onClick={() =>
            edit(
              "sound",
              [{ op: "replace", path: `/modulators/${index}/locked`, value: !modulator.locked }],
              modulator.locked ? "Unlock" : "Lock",
            )
          }
        >
          {modulator.locked ? "Locked" : "Lock"}
        </button>
        <button
          type="button"
          className="button-plain"
          title={`Seed ${seed}; the one before is kept`}
          onClick={() => take(newSeed(), "Reseed")}
        >
          Reseed
        </button>
      </div>
      {rolls.length > 1 && (
        <ul className="mt-1 flex gap-1 overflow-x-auto pb-1" aria-label="Seeds">
          {rolls.map((roll, i) => {
            const found = pictures.data?.find((one) => one.seed === roll.seed);
            const on = roll.seed === seed;
            const name = roll.name || `Seed ${i + 1}`;
            return (
              <li
                key={roll.seed}
                className={`w-[98px] shrink-0 border bg-paper ${on ? "border-ink" : "border-line"}`}
              >
                <button
                  type="button"
                  className="block w-full"
                  aria-label={`Use ${name}`}
                  aria-pressed={on}
                  onClick={() => take(roll.seed, `Use ${name}`)}
                >
                  <svg
                    viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
                    className="block h-[26px] w-full"
                    preserveAspectRatio="none"
                    aria-hidden
                  >
                    <path
                      d={found ? `M${line(found.values)}` : ""}
                      fill="none"
                      stroke={color}
                      strokeWidth="1.2"
                      vectorEffect="non-scaling-stroke"
                    />
                  </svg>
                </button>
                <span className="flex items-center">
                  <EditableName
                    name={name}
                    label="Seed"
                    className="min-w-0 flex-1 px-0.5 text-xs text-slate"
                    onChange={(next) =>
                      change("Name seed", (sound) => nameRoll(sound, index, roll.seed, next))
                    }
                  />
                  {!on && (
                    <button
                      type="button"
                      className="button-plain px-0.5 text-xs"
                      aria-label={`Delete ${name}`}
                      onClick={() =>
                        change("Delete seed", (sound) => forgetRoll(sound, index, roll.seed))
                      }
                    >
                      ✕
                    </button>
                  )}
                </span>
              </li>
            );
          })}
        </ul>
      )}
    </div>
  );
}
