import { laneAt } from "../document/lanes";
import { edit, endGesture, useSession } from "../session/store";
import { useCatalogue } from "../ui/catalogue-context";
import { type CurvePoint, PointField } from "../ui/PointField";

const HEIGHT = 120;
const STEPS = 160;
const EDGE = 0.04;

/** What the three lists of a curve say, as points. */
export function pointsOf(at: number[], values: number[], bends: number[]): CurvePoint[] {
  return at
    .slice(0, values.length)
    .map((time, i) => ({ time, value: values[i] ?? 0, bend: bends[i] ?? 0 }))
    .sort((a, b) => a.time - b.time);
}

/** A curve's points, drawn and bent like a lane's; its length lies from left to right. */
export function CurveEditor({ index, color }: { index: number; color: string }) {
  const params = useSession((s) => s.sound?.modulators[index]?.params);
  const module = useCatalogue().module("modulator", "curve");
  const list = (key: string) => (params?.[key] as number[] | undefined) ?? [];
  const points = pointsOf(list("at"), list("values"), list("bends"));
  const round = params?.runs === "round";
  const y = (value: number) => EDGE + (1 - 2 * EDGE) * (0.5 - value / 200);
  const path = Array.from({ length: STEPS + 1 }, (_, i) => {
    const x = (i / STEPS) * 100;
    return `${x} ${(y(laneAt(points, x, false) ?? 0) * HEIGHT).toFixed(1)}`;
  }).join("L");
  const set = (next: CurvePoint[], gesture: string | null) => {
    const at = `/modulators/${index}/params`;
    edit(
      "sound",
      [
        { op: "replace", path: `${at}/at`, value: next.map((p) => p.time) },
        { op: "replace", path: `${at}/values`, value: next.map((p) => p.value) },
        { op: "replace", path: `${at}/bends`, value: next.map((p) => p.bend) },
      ],
      "Draw curve",
      gesture,
    );
  };
  return (
    <div className="relative mb-2 border border-line bg-paper" style={{ height: HEIGHT }}>
      <svg
        className="absolute inset-0 h-full w-full"
        viewBox={`0 0 100 ${HEIGHT}`}
        preserveAspectRatio="none"
        aria-hidden
      >
        {round && (
          <rect
            x={Number(params?.loop_from ?? 0)}
            width={Math.max(0, Number(params?.loop_to ?? 100) - Number(params?.loop_from ?? 0))}
            y="0"
            height={HEIGHT}
            fill="var(--color-mist)"
          />
        )}
        <line
          x1="0"
          x2="100"
          y1={y(0) * HEIGHT}
          y2={y(0) * HEIGHT}
          stroke="var(--color-line)"
          vectorEffect="non-scaling-stroke"
        />
        <path
          d={`M${path}`}
          fill="none"
          stroke={color}
          strokeWidth="1.6"
          vectorEffect="non-scaling-stroke"
        />
      </svg>
      <PointField
        points={points}
        most={module.parameters.find((p) => p.key === "at")?.most ?? 64}
        name="Curve"
        label={(p) =>
          `${p.value.toFixed(0)} % at ${p.time.toFixed(0)} % of its length${
            p.bend ? `, bend ${p.bend} %` : ""
          }`
        }
        scale={{
          x: (time) => time / 100,
          time: (x) => Number((Math.min(1, Math.max(0, x)) * 100).toFixed(2)),
          y,
          value: (part) =>
            Number(
              Math.min(100, Math.max(-100, (0.5 - (part - EDGE) / (1 - 2 * EDGE)) * 200)).toFixed(
                1,
              ),
            ),
        }}
        added={() => 50}
        onChange={set}
        onEnd={endGesture}
      />
    </div>
  );
}
