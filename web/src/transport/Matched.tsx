import { useLive } from "../live/socket";

/** By how much what is heard is made louder or softer, where it is; roughly until both are drawn. */
export function Matched({ why }: { why: string }) {
  const { by, exact } = useLive((s) => s.matched);
  if (Math.abs(by) < 0.05) return null;
  return (
    <span className="label ml-1.5 text-xs" title={why}>
      matched {exact ? "" : "about "}
      {by > 0 ? "+" : "−"}
      {Math.abs(by).toFixed(exact ? 1 : 0)} dB
    </span>
  );
}
