import { memo, useId, useMemo, useRef, useState } from "react";
import type { Route, Value } from "../api/client";
import { type Parameter, type PartPlace, pointerOf } from "../document/catalogue";
import { parsed, wouldDo } from "../document/entry";
import { valueAt } from "../document/patch";
import { asNumber, fraction, isTime, kept, moved, range, shown, stepped } from "../document/values";
import { useLive } from "../live/socket";
import { PlayheadLine } from "../longview/PlayheadLine";
import { notify } from "../notices/notices";
import { droppable } from "../routes/dropping";
import { hue } from "../routes/hues";
import { RoutePopover } from "../routes/RoutePopover";
import { trajectoryPath } from "../routes/trajectory-path";
import { useSkeleton } from "../session/hooks";
import { edit, useSession } from "../session/store";
import { useCatalogue } from "../ui/catalogue-context";
import { hold } from "../ui/hold";

const WIDTH = 176;
const HEIGHT = 50;
/** Pixels of a drag across the whole range, and how much finer Shift makes it. */
const DRAG = 220;
const FINE = 0.12;

interface Props {
  place: PartPlace;
  parameter: Parameter;
  name?: string;
}

function Trajectory({
  address,
  parameter,
  value,
}: {
  address: string;
  parameter: Parameter;
  value: Value;
}) {
  const outline = useLive((s) => s.trajectories.parameters[address]);
  const { low, high } = range(parameter, value);
  const view = useMemo(() => {
    if (!outline) return null;
    const at = (v: number) => fraction(parameter, v, low, high);
    // Look closely: the part of the range that is travelled, with some air around it.
    const rest = at(asNumber(value));
    const bottom = Math.min(rest, ...outline.low.map(at));
    const top = Math.max(rest, ...outline.high.map(at));
    const air = Math.max(0.001, (top - bottom) * 0.18);
    const from = bottom - air;
    const span = top + air - from;
    const height = (v: number) => (at(v) - from) / span;
    return {
      path: trajectoryPath(outline, WIDTH, 20, HEIGHT - 2, height),
      rest: HEIGHT - 2 - ((rest - from) / span) * (HEIGHT - 22),
    };
  }, [outline, parameter, value, low, high]);
  if (!view) return null;
  return (
    <svg
      className="absolute inset-0 h-full w-full"
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      preserveAspectRatio="none"
      aria-hidden
    >
      <path
        d={`${view.path}`}
        fill="var(--color-ink)"
        stroke="var(--color-ink)"
        strokeWidth="0.9"
        vectorEffect="non-scaling-stroke"
        data-trajectory={address}
      />
      <line
        x1="0"
        x2={WIDTH}
        y1={view.rest}
        y2={view.rest}
        stroke="var(--color-rose)"
        strokeWidth="1"
        strokeDasharray="2.5 2.5"
        vectorEffect="non-scaling-stroke"
      />
    </svg>
  );
}

function Bar({ part }: { part: number }) {
  return (
    <div className="absolute inset-x-2 bottom-[9px] h-[2px] bg-line" aria-hidden>
      <div className="h-full bg-ink" style={{ width: `${part * 100}%` }} />
    </div>
  );
}

/** The routes to an address, without their depths: those are their editors' business. */
function useRoutesTo(address: string): Route[] {
  const routes = useSkeleton()?.routes;
  return useMemo(() => routes?.filter((route) => route.to === address) ?? [], [routes, address]);
}

function Marks({ routes }: { routes: Route[] }) {
  const modulators = useSkeleton()?.modulators;
  return (
    <span className="pointer-events-none absolute bottom-1 left-[6px] flex gap-[3px]" aria-hidden>
      {routes.map((route) => (
        <span
          key={route.id}
          className="h-[6px] w-[6px]"
          style={{ background: hue(modulators ?? [], route.from) }}
        />
      ))}
    </span>
  );
}

function Typing({
  parameter,
  value,
  name,
  onDone,
}: {
  parameter: Parameter;
  value: Value;
  name: string;
  onDone: (value: Value | null) => void;
}) {
  const [text, setText] = useState(shown(parameter, value));
  const keep = () => {
    const found = parsed(parameter, text, value);
    if (found === null) {
      notify(
        `“${text}” is not a value for ${name}. These would do: ${wouldDo(
          parameter,
          shown(parameter, value),
        )}.`,
      );
      onDone(null);
      return;
    }
    const inRange = kept(parameter, found);
    if (JSON.stringify(inRange) !== JSON.stringify(found)) {
      notify(`${name} was set to ${shown(parameter, inRange)}, the end of its range.`, "news");
    }
    onDone(inRange);
  };
  return (
    <input
      ref={(field) => field?.focus()}
      className="field absolute right-1 top-1 z-10 w-[92px] py-0 text-right"
      aria-label={`${name}, type a value`}
      value={text}
      onFocus={(event) => event.target.select()}
      onChange={(event) => setText(event.target.value)}
      onBlur={keep}
      onKeyDown={(event) => {
        event.stopPropagation();
        if (event.key === "Enter") keep();
        if (event.key === "Escape") onDone(null);
      }}
    />
  );
}

/** A parameter that stays or moves: its value, its trajectory, and who moves it. */
export const Strip = memo(function Strip({ place, parameter, name = parameter.name }: Props) {
  const pointer = pointerOf(place, parameter);
  const address = `${place.path}.${parameter.key}`;
  const value = useSession((s) => (s.sound ? (valueAt(s.sound, pointer) as Value) : 0));
  const routes = useRoutesTo(address);
  const catalogue = useCatalogue();
  const [typing, setTyping] = useState(false);
  const drag = useRef<{ y: number; value: Value; fine: boolean } | null>(null);
  const id = useId();
  const { low, high } = range(parameter, value);
  const set = (next: Value, gesture: string | null) => {
    if (JSON.stringify(next) === JSON.stringify(value)) return;
    edit("sound", [{ op: "replace", path: pointer, value: next }], name, gesture);
  };
  const drawn = useSession((s) => s.sound?.lanes.some((lane) => lane.to === address) ?? false);
  const isMoved = routes.length > 0 || drawn;
  return (
    <div
      className="group relative h-[50px] border border-line bg-paper focus-within:border-ink"
      data-address={address}
      {...(parameter.moves === "no"
        ? {}
        : droppable({ address, parameter, place, label: name }, catalogue))}
    >
      {isMoved ? (
        <Trajectory address={address} parameter={parameter} value={value} />
      ) : (
        <Bar part={fraction(parameter, asNumber(value), low, high)} />
      )}
      {isMoved && <Marks routes={routes} />}
      {isMoved && <PlayheadLine />}
      <div
        role="slider"
        tabIndex={0}
        aria-labelledby={id}
        aria-valuemin={low}
        aria-valuemax={high}
        aria-valuenow={asNumber(value)}
        aria-valuetext={shown(parameter, value)}
        title={`${parameter.help} Drag up or down, Shift for fine, Enter to type.`}
        className="absolute inset-0 cursor-ns-resize touch-none"
        onPointerDown={(event) => {
          if (event.button !== 0) return;
          drag.current = { y: event.clientY, value, fine: event.shiftKey };
          hold(event, () => {
            drag.current = null;
          });
        }}
        onPointerMove={(event) => {
          const from = drag.current;
          if (!from) return;
          if (from.fine !== event.shiftKey) {
            drag.current = { y: event.clientY, value, fine: event.shiftKey };
            return;
          }
          const by = ((from.y - event.clientY) / DRAG) * (from.fine ? FINE : 1);
          set(moved(parameter, from.value, by), `drag ${address}`);
        }}
        onDoubleClick={() => setTyping(true)}
        onKeyDown={(event) => {
          const size = event.shiftKey ? 0.2 : event.altKey ? 10 : 1;
          if (event.key === "ArrowUp" || event.key === "ArrowRight") {
            set(stepped(parameter, value, 1, size), `keys ${address}`);
          } else if (event.key === "ArrowDown" || event.key === "ArrowLeft") {
            set(stepped(parameter, value, -1, size), `keys ${address}`);
          } else if (event.key === "PageUp" || event.key === "PageDown") {
            set(stepped(parameter, value, event.key === "PageUp" ? 1 : -1, 10), `keys ${address}`);
          } else if (event.key === "Home" || event.key === "End") {
            const end = event.key === "Home" ? low : high;
            set(isTime(value) ? { ...value, value: end } : end, null);
          } else if (event.key === "Enter") setTyping(true);
          else return;
          event.preventDefault();
          event.stopPropagation();
        }}
      />
      <span
        id={id}
        className="pointer-events-none absolute left-[6px] top-[3px] max-w-[62%] truncate text-slate"
      >
        {name}
      </span>
      {typing ? (
        <Typing
          parameter={parameter}
          value={value}
          name={name}
          onDone={(next) => {
            setTyping(false);
            if (next !== null) set(next, null);
          }}
        />
      ) : (
        <span className="pointer-events-none absolute right-[7px] top-[3px] font-bold" data-value>
          {shown(parameter, value)}
        </span>
      )}
      {parameter.moves !== "no" && (
        <RoutePopover
          address={address}
          parameter={parameter}
          place={place}
          name={name}
          routes={routes}
        />
      )}
    </div>
  );
});

/** A parameter that is one of several choices, or on and off. */
export const ChoiceStrip = memo(function ChoiceStrip({ place, parameter }: Props) {
  const pointer = pointerOf(place, parameter);
  const value = useSession((s) => (s.sound ? (valueAt(s.sound, pointer) as Value) : ""));
  const id = useId();
  const set = (next: Value) =>
    edit("sound", [{ op: "replace", path: pointer, value: next }], parameter.name);
  return (
    <div
      className="relative h-[50px] border border-line bg-paper"
      title={parameter.help}
      data-address={`${place.path}.${parameter.key}`}
    >
      <label htmlFor={id} className="absolute left-[6px] top-[3px] text-slate">
        {parameter.name}
      </label>
      {parameter.kind === "switch" ? (
        <input
          id={id}
          type="checkbox"
          className="absolute bottom-2 left-2"
          checked={Boolean(value)}
          onChange={(event) => set(event.target.checked)}
        />
      ) : (
        <select
          id={id}
          value={String(value)}
          onChange={(event) => set(event.target.value)}
          className="absolute inset-x-[3px] bottom-[3px] rounded-sm bg-paper px-0.5 font-bold"
        >
          {parameter.choices.map((choice) => (
            <option key={choice.value} value={choice.value}>
              {choice.name}
            </option>
          ))}
        </select>
      )}
    </div>
  );
});
