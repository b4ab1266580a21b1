import { useQuery } from "@tanstack/react-query";
import { api, taken } from "../api/client";
import { shownNumber } from "../document/values";
import type { Loop, RecordingCard } from "./library";

const WIDTH = 360;
const HEIGHT = 50;

/** What a loop's join sounds like, in words. */
function describeJoin(step: number | null): string {
  if (step === null) return "no step at the join";
  return `a step of ${shownNumber(step, 0)} dB at the join`;
}

/** The wave just before a loop's end and just after its start, as they follow each other. */
export function Seam({ card, loop }: { card: RecordingCard; loop: Loop }) {
  const seam = useQuery({
    queryKey: ["seam", card.key, card.steps, loop],
    queryFn: () =>
      taken(
        api.GET("/api/material/{key}/loop/seam", {
          params: { path: { key: card.key }, query: loop },
        }),
      ),
    placeholderData: (before) => before,
  });
  const points = seam.data?.points ?? [];
  const most = Math.max(1e-6, ...points.map(Math.abs));
  const line = points.map(
    (value, i) =>
      `${((i / (points.length - 1)) * WIDTH).toFixed(1)} ${((1 - value / most) * (HEIGHT / 2 - 2) + 2).toFixed(1)}`,
  );
  const description = seam.data ? describeJoin(seam.data.step) : "looking at the join…";
  return (
    <figure className="mb-2">
      <svg
        className="h-[50px] w-full border border-line bg-paper"
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        preserveAspectRatio="none"
        role="img"
        aria-label={`The wave over the join: ${description}`}
      >
        <path
          d={`M${WIDTH / 2} 0V${HEIGHT}`}
          className="stroke-rose"
          vectorEffect="non-scaling-stroke"
        />
        {line.length > 1 && (
          <path
            d={`M${line.join("L")}`}
            fill="none"
            className="stroke-ink"
            vectorEffect="non-scaling-stroke"
          />
        )}
      </svg>
      <figcaption className="label" role="status">
        End, then start: {description}
      </figcaption>
    </figure>
  );
}
