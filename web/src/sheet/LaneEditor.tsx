import { useMemo } from "react";
import type { Parameter } from "../document/catalogue";
import { inSeconds, laneAt, type Point, setPoints } from "../document/lanes";
import { clock, shown } from "../document/values";
import { player } from "../live/audio";
import { change } from "../session/change";
import { endGesture, useSession } from "../session/store";
import { useCatalogue } from "../ui/catalogue-context";
import { PointField } from "../ui/PointField";
import { type RowScale, worth } from "./scale";
import { useSnap } from "./snap";
import { snapped } from "./snapping";
import { fractionOf, type Span } from "./view";

/** How near, of so many pixels across, a marker draws points to it. */
const MARKER_REACH = 8;
const WIDTH = 1100;
const EDGE = 4;
const NONE: Point[] = [];

/** The points of a parameter's lane, in seconds. */
export function usePoints(address: string): Point[] {
  const lane = useSession((s) => s.sound?.lanes.find((one) => one.to === address));
  const tempo = useSession((s) => s.score?.tempo);
  return useMemo(() => (lane && tempo ? inSeconds(lane, { tempo }) : NONE), [lane, tempo]);
}

/** A lane's course as a path, with enough steps to show its bends. */
export function coursePath(
  points: Point[],
  logarithmic: boolean,
  span: Span,
  width: number,
  y: (value: number) => number,
): string {
  if (points.length === 0) return "";
  const moments = new Set<number>([span[0], span[1]]);
  points.forEach((point, i) => {
    moments.add(point.time);
    const next = points[i + 1];
    if (!next || (point.bend === 0 && !logarithmic)) return;
    for (let k = 1; k < 16; k++) moments.add(point.time + ((next.time - point.time) * k) / 16);
  });
  const steps = [...moments]
    .filter((t) => t >= span[0] && t <= span[1])
    .sort((a, b) => a - b)
    .map((t) => {
      const value = laneAt(points, t, logarithmic) ?? 0;
      return `${(fractionOf(t, span) * width).toFixed(1)} ${y(value).toFixed(1)}`;
    });
  return `M${steps.join("L")}`;
}

/** Draws a parameter's lane in its open row; see `PointField`. */
export function LaneEditor({
  address,
  parameter,
  scale,
  span,
  height,
}: {
  address: string;
  parameter: Parameter;
  scale: RowScale;
  span: Span;
  height: number;
}) {
  const points = usePoints(address);
  const most = useCatalogue().limits.points;
  const grid = useSnap((s) => s.grid);
  const [from, to] = span;
  return (
    <div className="absolute inset-0" data-lane={address}>
      <PointField
        points={points}
        most={most}
        name={`Lane of ${parameter.name.toLowerCase()}`}
        label={(point) =>
          `${parameter.name} ${shown(parameter, point.value)} at ${clock(point.time, true)}${
            point.bend ? `, bend ${point.bend} %` : ""
          }`
        }
        scale={{
          x: (time) => fractionOf(time, span),
          time: (x) => {
            const { score } = useSession.getState();
            if (!score) return 0;
            const seconds = Math.min(score.length, Math.max(0, from + x * (to - from)));
            return snapped(score, seconds, grid, (MARKER_REACH / WIDTH) * (to - from));
          },
          y: (value) =>
            Math.min(1 - EDGE / height, Math.max(EDGE / height, scale.y(value) / height)),
          value: (y) => {
            const value = scale.value(y * height);
            const whole = parameter.kind === "integer" ? Math.round(value) : worth(value);
            return Math.min(scale.high, Math.max(scale.low, whole));
          },
        }}
        added={() => player.position()}
        onChange={(next, gesture) =>
          change(
            `Draw ${parameter.name.toLowerCase()}`,
            (sound, score) => setPoints(sound, address, next, score),
            gesture,
          )
        }
        onEnd={endGesture}
      />
    </div>
  );
}
