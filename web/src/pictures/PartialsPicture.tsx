import { useMemo } from "react";
import { ink, usePainted } from "../ui/painted";
import { useMoment } from "./now";
import { NowAndThroughout } from "./OverTime";
import { cell, hertz, type Packed, unpacked } from "./packed";

const LOW = 25;
const HIGH = 18_000;
const across = (frequency: number) => Math.log(frequency / LOW) / Math.log(HIGH / LOW);

/** Every partial's level, frequency and place, now and over the length. */
export function PartialsPicture({
  levels,
  octaves,
  places,
  length,
}: {
  levels: Packed;
  octaves: Packed;
  places: Packed;
  length: number;
}) {
  const grids = useMemo(
    () => ({ levels: unpacked(levels), octaves: unpacked(octaves), places: unpacked(places) }),
    [levels, octaves, places],
  );
  const moment = useMoment(grids.levels.rows, length);
  const sounding = useMemo(() => {
    let count = 0;
    for (let p = 0; p < grids.levels.columns; p++) if (cell(grids.levels, moment, p) > 20) count++;
    return count;
  }, [grids, moment]);
  const now = usePainted(
    (context, width, height) => {
      const floor = height - 16;
      context.fillStyle = ink(0.12);
      context.fillRect(0, floor, width, 1);
      for (let p = 0; p < grids.levels.columns; p++) {
        const level = cell(grids.levels, moment, p) / 255;
        if (level <= 0) continue;
        const x = across(hertz(cell(grids.octaves, moment, p))) * width;
        context.fillStyle = ink(0.35 + 0.65 * level);
        context.fillRect(x - 0.6, floor - level * (floor - 14), 1.2, level * (floor - 14));
        // Under the line: where in stereo it is, left above, right below.
        const place = (cell(grids.places, moment, p) - 128) / 127;
        context.fillRect(x - 1, floor + 8 + place * 6 - 1, 2, 2);
      }
    },
    [grids, moment],
  );
  const throughout = usePainted(
    (context, width, height) => {
      const { rows, columns } = grids.levels;
      const step = width / rows;
      for (let m = 0; m < rows; m++) {
        for (let p = 0; p < columns; p++) {
          const level = cell(grids.levels, m, p) / 255;
          if (level <= 0.05) continue;
          const y = (1 - across(hertz(cell(grids.octaves, m, p)))) * height;
          context.fillStyle = ink(level * level);
          context.fillRect(m * step, y - 0.7, step + 0.5, 1.4);
        }
      }
    },
    [grids],
  );
  return (
    <NowAndThroughout
      label={`Partials: ${sounding} sound now`}
      now={<canvas ref={now} className="h-full w-full" />}
      throughout={<canvas ref={throughout} className="h-full w-full" />}
    />
  );
}
