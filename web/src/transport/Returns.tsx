import { Popover } from "radix-ui";
import { span } from "../document/values";
import { useLive } from "../live/socket";
import { useSkeleton } from "../session/hooks";

/** After how long all cycles come together again, or that they never do; and why. */
export function Returns() {
  const returns = useLive((s) => s.returns);
  const modulators = useSkeleton()?.modulators ?? [];
  if (!returns || modulators.length === 0) return null;
  const name = (id: string) => modulators.find((m) => m.id === id)?.name ?? id;
  const { whole, soonest } = returns;
  return (
    <Popover.Root>
      <Popover.Trigger className="button-plain" title="When all cycles come together again">
        {whole.seconds === null ? "never repeats" : `repeats after ${span(whole.seconds)}`}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          className="panel z-40 w-[360px] p-3"
          sideOffset={4}
          collisionPadding={8}
          aria-label="Repeats after"
          onKeyDown={(event) => event.stopPropagation()}
        >
          <h3 className="mb-1 text-base">Repeats after</h3>
          <p className="mb-2">
            {whole.seconds === null
              ? `It never comes back to where it was. ${whole.why}.`
              : `All that moves comes together again after ${span(whole.seconds)}.`}
          </p>
          {soonest && (
            <p className="label mb-2">
              The soonest two: {name(soonest[0])} and {name(soonest[1])}, after {span(soonest[2])}.
            </p>
          )}
          <ul>
            {modulators.map((modulator) => {
              const one = returns.modulators[modulator.id];
              return (
                <li
                  key={modulator.id}
                  className="flex justify-between gap-3 border-t border-line py-0.5"
                >
                  <b className="truncate">{modulator.name}</b>
                  <span className="label text-right">
                    {one?.seconds === null || !one ? (one?.why ?? "") : span(one.seconds)}
                  </span>
                </li>
              );
            })}
          </ul>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
