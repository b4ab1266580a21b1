import { useLive } from "../live/socket";

/** By how much what is heard is made louder or softer, where it is. */
export function Matched({ why }: { why: string }) {
  const matched = useLive((s) => s.matched);
  if (Math.abs(matched) < 0.05) return null;
  return (
    <span className="label ml-1.5 text-xs" title={why}>
      matched {matched > 0 ? "+" : "−"}
      {Math.abs(matched).toFixed(1)} dB
    </span>
  );
}
