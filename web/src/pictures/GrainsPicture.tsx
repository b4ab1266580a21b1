import { useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
import { api, taken } from "../api/client";
import { onPlayhead } from "../longview/playhead";
import { drawOutline, useOutline } from "../material/RecordingPicture";
import { useSession } from "../session/store";
import { colour } from "../ui/colours";
import { ink, usePainted } from "../ui/painted";
import { NowAndThroughout } from "./OverTime";
import { cell, isPacked, type Packed, unpacked } from "./packed";

const LOOK_MS = 500;
/** How many of the playhead's moves pass between two close looks. */
const SELDOM = 8;

/** The moment of the playhead, now and then: often enough for a picture of seconds. */
function useMomentOf(): number {
  const [at, setAt] = useState(0.5);
  useEffect(() => onPlayhead((seconds) => setAt(Math.max(0.5, seconds)), SELDOM), []);
  return Math.round(at * 2) / 2;
}

/** The grains as they fell on the waveform in the last seconds, and over the whole length. */
export function GrainsPicture({
  grains,
  length,
  layer,
  source,
  recording,
}: {
  grains: Packed;
  length: number;
  layer: string;
  source: string;
  recording: string;
}) {
  const soundId = useSession((s) => s.soundId) ?? 0;
  const whole = useMemo(() => unpacked(grains), [grains]);
  const at = useMomentOf();
  const near = useQuery({
    queryKey: ["close-up", soundId, layer, source, at, grains],
    queryFn: () =>
      taken(
        api.GET("/api/sounds/{sound_id}/layers/{layer_id}/close-up", {
          params: { path: { sound_id: soundId, layer_id: layer }, query: { at, source } },
        }),
      ),
    placeholderData: (before) => before,
    staleTime: LOOK_MS,
    retry: false,
  });
  const outline = useOutline(recording, 0, null);
  const last = near.data && isPacked(near.data.grains) ? unpacked(near.data.grains) : null;
  const start = Number(near.data?.start ?? 0);
  const end = Number(near.data?.end ?? 1);
  const now = usePainted(
    (context, width, height) => {
      if (outline.data) {
        drawOutline(context, outline.data.low, outline.data.high, width, height, colour("mist"));
      }
      if (!last) return;
      for (let g = 0; g < last.rows; g++) {
        const x = cell(last, g, 2) * width;
        const reach = cell(last, g, 3) * width;
        const y = 14 + ((cell(last, g, 0) - start) / Math.max(0.1, end - start)) * (height - 18);
        context.fillStyle = ink(Math.max(0.35, 0.95 + cell(last, g, 4) / 40));
        context.fillRect(Math.min(x, x + reach), y, Math.max(1.2, Math.abs(reach)), 1.4);
      }
    },
    [outline.data, last, start, end],
  );
  const throughout = usePainted(
    (context, width, height) => {
      for (let g = 0; g < whole.rows; g++) {
        const x = (cell(whole, g, 0) / length) * width;
        const wide = Math.max(1, (cell(whole, g, 1) / length) * width);
        const y = (1 - cell(whole, g, 2)) * (height - 4) + 1;
        context.fillStyle = ink(Math.max(0.4, 0.9 + cell(whole, g, 4) / 40));
        context.fillRect(x, y, wide, 1.6);
      }
    },
    [whole, length],
  );
  return (
    <NowAndThroughout
      label={`Grains: ${last?.rows ?? 0} in the last seconds`}
      nowLabel="The last seconds"
      now={<canvas ref={now} className="h-full w-full" />}
      throughout={<canvas ref={throughout} className="h-full w-full" />}
    />
  );
}
