import type { PartPlace } from "../document/catalogue";
import { useParams } from "../session/hooks";
import { useSession } from "../session/store";
import { envelopeShape } from "../strips/envelope-shape";
import { PartStrips } from "../strips/PartStrips";
import { Section } from "../ui/Section";

/** The amplitude envelope over the first held note, and when it reaches full level. */
function EnvelopePicture({ place }: { place: PartPlace }) {
  const params = useParams(place.pointer);
  const note = useSession((s) => s.score?.notes[0]?.length ?? 60);
  const bpm = useSession((s) => s.score?.tempo[0]?.bpm ?? 120);
  const { points, total, full } = envelopeShape(params, note, bpm);
  const line = points.map(
    ([t, level]) => `${((t / total) * 176).toFixed(1)} ${(48 - level * 26).toFixed(1)}`,
  );
  const reached =
    full <= note
      ? `full level at ${Math.round((full / note) * 100)} % of the note`
      : "never at full level while the note is held";
  return (
    <div
      className="relative h-[50px] border border-line bg-paper"
      role="img"
      aria-label={`The envelope over the first held note: ${reached}`}
      title={reached}
    >
      <span className="absolute left-[6px] top-[3px] max-w-[95%] truncate text-slate">
        {reached}
      </span>
      <svg className="h-full w-full" viewBox="0 0 176 50" preserveAspectRatio="none" aria-hidden>
        <path d={`M0 48L${line.join("L")}L176 48Z`} fill="var(--color-haze)" />
        <path
          d={`M${line.join("L")}`}
          fill="none"
          stroke="var(--color-ink)"
          vectorEffect="non-scaling-stroke"
        />
      </svg>
    </div>
  );
}

export function Envelope({ place }: { place: PartPlace }) {
  return (
    <Section title="Amplitude envelope" about="how each note rises, stays and dies away">
      <EnvelopePicture place={place} />
      <PartStrips place={place} />
    </Section>
  );
}
