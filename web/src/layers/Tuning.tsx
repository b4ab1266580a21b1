import { useRef } from "react";
import { type Sound, upload } from "../api/client";
import { keyName, shownNumber } from "../document/values";
import { notify } from "../notices/notices";
import { edit, useSession } from "../session/store";
import { FileField } from "../ui/FileField";
import { NoteField } from "../ui/NoteField";
import { Section } from "../ui/Section";

type Scale = NonNullable<Sound["scale"]>;

const WIDTH = 360;

function keepScale(scale: Scale | null, label: string) {
  edit("sound", [{ op: "add", path: "/scale", value: scale }], label);
}

/** Read a Scala file and tune the sound by it. */
export async function loadScale(file: File) {
  try {
    const scale = await upload<Scale>("/api/scales", file);
    const root = useSession.getState().sound?.scale?.root ?? scale.root;
    keepScale({ ...scale, root }, `Scale ${file.name}`);
    notify(`${file.name}: ${scale.cents.length} degrees. Undo brings the old tuning back.`, "news");
  } catch (error) {
    notify(error instanceof Error ? error.message : String(error));
  }
}

/** Where the degrees lie between the root and its repeat, over the steps of equal temperament. */
function Degrees({ scale }: { scale: Scale }) {
  const repeat = scale.cents[scale.cents.length - 1] as number;
  const low = Math.min(0, ...scale.cents);
  const high = Math.max(0, ...scale.cents);
  const at = (cents: number) => ((cents - low) / Math.max(1, high - low)) * (WIDTH - 2) + 1;
  const steps: number[] = [];
  for (let cents = Math.ceil(low / 100) * 100; cents <= high; cents += 100) steps.push(cents);
  const degrees = scale.cents.map((cents) => `${shownNumber(cents, 1)} ct`).join(", ");
  return (
    <svg
      className="col-span-full h-[50px] w-full border border-line bg-paper"
      viewBox={`0 0 ${WIDTH} 50`}
      preserveAspectRatio="none"
      role="img"
      aria-label={`Degrees above ${keyName(scale.root)}: ${degrees}; repeats after ${shownNumber(repeat, 1)} ct`}
    >
      <title>{degrees}</title>
      {steps.map((cents) => (
        <path
          key={cents}
          d={`M${at(cents)} 30V48`}
          className="stroke-line"
          vectorEffect="non-scaling-stroke"
        />
      ))}
      {[0, ...scale.cents].map((cents, i) => (
        <path
          // biome-ignore lint/suspicious/noArrayIndexKey: degrees are told apart by their place
          key={i}
          d={`M${at(cents)} 4V30`}
          className="stroke-ink"
          vectorEffect="non-scaling-stroke"
        />
      ))}
    </svg>
  );
}

/** The scale that the keys play: equal temperament, or one from a Scala file. */
export function Tuning({ scale }: { scale: Scale | null }) {
  const picker = useRef<HTMLInputElement>(null);
  return (
    <Section
      title="Scale"
      about={
        scale
          ? `${scale.name || "unnamed"}, ${scale.cents.length} degrees from ${keyName(scale.root)}`
          : "twelve equal steps to the octave"
      }
      actions={
        <>
          {scale && (
            <>
              <NoteField
                label="Root"
                value={scale.root}
                onKeep={(root) => keepScale({ ...scale, root: Math.round(root) }, "Root of scale")}
              />
              <button
                type="button"
                className="button-plain"
                onClick={() => keepScale(null, "Equal steps")}
              >
                Equal steps
              </button>
            </>
          )}
          <button
            type="button"
            className="button-plain"
            onClick={() => picker.current?.click()}
            title="Scala scale file, .scl; or drop one anywhere"
          >
            Load a Scala file
          </button>
          <FileField
            field={picker}
            label="Scala file"
            accept=".scl"
            onFiles={([file]) => void loadScale(file)}
          />
        </>
      }
    >
      {scale && <Degrees scale={scale} />}
    </Section>
  );
}
