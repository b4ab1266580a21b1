import { Popover } from "radix-ui";
import { answerable, answered, type Finding } from "../document/findings";
import { useLive } from "../live/socket";
import { change } from "../session/change";
import { useSession } from "../session/store";
import { useCatalogue } from "../ui/catalogue-context";

const TITLES: Record<Finding["kind"], string> = {
  peak: "Resonance",
  mud: "Mud",
  harshness: "Harshness",
  rumble: "Rumble",
  ceiling: "Ceiling",
};

/** What a band does, as a button says it. */
function deed(finding: Finding): string {
  if (finding.shape === "low_cut") return `Cut below ${Math.round(finding.hertz)} Hz`;
  if (finding.kind === "ceiling") return `Lower all by ${Math.abs(finding.gain)} dB`;
  return `Lower by ${Math.abs(finding.gain)} dB`;
}

/** What stands out over the whole length; each becomes a band of the master's equalizer. */
export function Findings() {
  const found = useLive((s) => s.summary?.findings);
  if (!found || found.length === 0) return null;
  return (
    <Popover.Root onOpenChange={(open) => !open && useLive.setState({ pointedOut: null })}>
      <Popover.Trigger
        className="button-plain shrink-0 whitespace-nowrap"
        title="Resonances, mud, rumble, harshness, and what the ceiling takes, over the whole length"
      >
        {found.length} stand{found.length === 1 ? "s" : ""} out
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          className="panel z-40 w-[400px] p-3"
          sideOffset={4}
          collisionPadding={8}
          aria-label="What stands out"
          onKeyDown={(event) => event.stopPropagation()}
        >
          <h3 className="mb-1 text-base">What stands out</h3>
          <p className="label mb-1">
            Over the whole length. A band of the master’s equalizer answers it, or its level; the
            picture shows what that does.
          </p>
          <ul>
            {found.map((finding) => (
              <Found key={`${finding.kind} ${finding.hertz}`} finding={finding} />
            ))}
          </ul>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

function Found({ finding }: { finding: Finding }) {
  const catalogue = useCatalogue();
  const room = useSession((s) => s.sound !== null && answerable(s.sound, catalogue, finding));
  const point = () => useLive.setState({ pointedOut: finding.hertz });
  return (
    <li
      className="flex items-center gap-3 border-t border-line py-1.5"
      onPointerEnter={point}
      onFocus={point}
    >
      <span className="flex-1">
        <b>{TITLES[finding.kind]}</b> {finding.text}
      </span>
      <button
        type="button"
        className="button shrink-0"
        disabled={!room}
        title={room ? undefined : "The master holds no more effects"}
        onClick={() => change("Lower what stands out", (s) => answered(s, catalogue, finding))}
      >
        {deed(finding)}
      </button>
    </li>
  );
}
