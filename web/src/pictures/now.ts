import { useEffect, useState } from "react";
import { onPlayhead, SELDOM } from "../longview/playhead";

/** Which of `count` moments, evenly over the length, the playhead is at. */
export function useMoment(count: number, length: number): number {
  const [moment, setMoment] = useState(0);
  useEffect(
    () =>
      onPlayhead((seconds) => {
        setMoment(Math.min(count - 1, Math.max(0, Math.floor((seconds / length) * count))));
      }, SELDOM),
    [count, length],
  );
  return moment;
}
