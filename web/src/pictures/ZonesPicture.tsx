import { sourcesOf } from "../document/sources";
import { keyName } from "../document/values";
import { useMaterial } from "../material/library";
import { useLayer } from "../session/hooks";

const KEYS = 128;

/** Which keys and velocities play which recording. */
export function ZonesPicture({ index, number }: { index: number; number: number }) {
  const material = useMaterial();
  const layer = useLayer(index);
  const zones = ((layer && sourcesOf(layer)[number]?.items) ?? []).filter(
    (item) => item.kind === "zone",
  );
  const name = (key: unknown) =>
    material.data?.find((m) => m.card.key === key)?.card.name ?? "no recording";
  const description = zones
    .map((z) => {
      const { recording, key_low, key_high } = z.params;
      return `${name(recording)} from ${keyName(Number(key_low))} to ${keyName(Number(key_high))}`;
    })
    .join("; ");
  return (
    <div
      role="img"
      aria-label={`Zones: ${description}`}
      data-picture="Zones"
      className="relative col-span-full h-[92px] border border-line bg-paper"
    >
      {Array.from({ length: 11 }, (_, octave) => (
        <span
          key={keyName(octave * 12)}
          className="absolute bottom-0 border-l border-mist pl-0.5 text-[10px] text-slate"
          style={{ left: `${((octave * 12) / KEYS) * 100}%` }}
        >
          {keyName(octave * 12)}
        </span>
      ))}
      {zones.map((zone) => {
        const p = zone.params;
        const low = Number(p.key_low);
        const high = Math.max(low, Number(p.key_high));
        const soft = Number(p.velocity_low);
        const hard = Math.max(soft, Number(p.velocity_high));
        return (
          <div
            key={zone.id}
            className="absolute overflow-hidden border border-ink bg-ink/10 px-1 text-xs"
            style={{
              left: `${(low / KEYS) * 100}%`,
              width: `${((high - low + 1) / KEYS) * 100}%`,
              bottom: `${14 + (soft / KEYS) * 76}px`,
              height: `${((hard - soft + 1) / KEYS) * 76}px`,
            }}
          >
            {name(p.recording)}
          </div>
        );
      })}
    </div>
  );
}
