import { useQuery } from "@tanstack/react-query";
import { api, taken } from "../api/client";

const ASK_AGAIN_MS = 1000;

/** How far the sound engine is compiled, while it is: on a new machine it takes about a minute. */
export function Preparation() {
  const { data } = useQuery({
    queryKey: ["engine"],
    queryFn: () => taken(api.GET("/api/engine")),
    refetchInterval: ({ state }) =>
      state.data && state.data.total > 0 && state.data.done >= state.data.total
        ? false
        : ASK_AGAIN_MS,
  });
  if (!data || data.total === 0 || data.done >= data.total) return null;
  return (
    <span
      className="label flex items-center gap-1.5"
      role="status"
      title="Sounds can be played and edited meanwhile; what needs a part that is not there yet waits for it."
    >
      <progress aria-label="Sound engine" className="w-16" max={data.total} value={data.done} />
      preparing the sound engine, {data.done} of {data.total}
    </span>
  );
}
