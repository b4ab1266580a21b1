import { memo, useCallback, useEffect, useMemo, useRef } from "react";
import type { Value } from "../api/client";
import type { Parameter } from "../document/catalogue";
import { sorted } from "../document/lanes";
import { valueAt } from "../document/patch";
import { isTime, shown, withUnit } from "../document/values";
import { seek, useLive } from "../live/socket";
import { droppable } from "../routes/dropping";
import { hue } from "../routes/hues";
import { useSkeleton } from "../session/hooks";
import { useSession } from "../session/store";
import { useCatalogue } from "../ui/catalogue-context";
import { foreseen } from "./foresight";
import { coursePath, LaneEditor, usePoints } from "./LaneEditor";
import { setRows, toggled, useSoundRows } from "./layout-of-sound";
import { bandPath, extent, valueAtMoment } from "./paths";
import { RowMenu } from "./RowMenu";
import { best, useChanged, useRowTrajectories } from "./row-trajectories";
import type { SheetRow } from "./rows";
import { rowScale } from "./scale";
import { fractionOf, inView, useSpan, useView } from "./view";

const WIDTH = 1000;
export const CLOSED = 35;
export const OPEN = 132;

/** A parameter's value in words; a time's in its own unit. */
function formatted(parameter: Parameter, value: Value, number: number): string {
  return shown(parameter, isTime(value) ? { ...value, value: number } : number);
}

/** The range that is travelled, said once where both ends have the same unit. */
function formattedRange(parameter: Parameter, value: Value, low: number, high: number): string {
  const [from, to] = [formatted(parameter, value, low), formatted(parameter, value, high)];
  if (from === to) return from;
  const unit = withUnit(0, parameter.unit).replace(/^\S+\s*/, "");
  return unit && from.endsWith(` ${unit}`) && to.endsWith(` ${unit}`)
    ? `${from.slice(0, -unit.length - 1)} to ${to}`
    : `${from} to ${to}`;
}

function Readout({ row, text }: { row: SheetRow; text: string }) {
  const ref = useRef<HTMLSpanElement>(null);
  const parameter = row.target.parameter;
  useEffect(
    () =>
      useView.subscribe(({ pointed }) => {
        if (!ref.current) return;
        const trajectories = best(useLive.getState(), inView());
        const outline = trajectories.parameters[row.address];
        const value =
          pointed === null || !outline ? null : valueAtMoment(outline.value, trajectories, pointed);
        const sound = useSession.getState().sound;
        const rest = sound && valueAt(sound, `${row.target.place.pointer}/params/${parameter.key}`);
        ref.current.textContent =
          value === null ? text : formatted(parameter, rest as Value, value);
      }),
    [row, parameter, text],
  );
  return <span ref={ref}>{text}</span>;
}

/** One parameter over the time axis: what it does, who moves it, and its lane. */
export const Row = memo(function Row({ row, pinned }: { row: SheetRow; pinned: boolean }) {
  const { address } = row;
  const parameter = row.target.parameter;
  const span = useSpan();
  const soundId = useSession((s) => s.soundId) ?? 0;
  const open = useSoundRows((rows) => rows.open.includes(address));
  const modulators = useSkeleton()?.modulators ?? [];
  const value = useSession((s) =>
    s.sound
      ? (valueAt(s.sound, `${row.target.place.pointer}/params/${parameter.key}`) as Value)
      : 0,
  );
  const points = usePoints(address);
  const reading = useLive((s) => s.readings[address]);
  const notes = useLive((s) => s.notes[address]);
  const trajectories = useRowTrajectories(row, span);
  const whole = useLive((s) => s.trajectories.parameters[address]);
  const outline = trajectories.parameters[address];
  const lit = useView((s) => s.modulator !== null && row.movers.includes(s.modulator));
  const dimmed = useView((s) => s.modulator !== null && !row.movers.includes(s.modulator));
  const height = open ? OPEN : CLOSED;
  const spread = trajectories.spread[address];
  const dragged = useChanged(address, trajectories);
  const scale = useMemo(() => {
    const travelled = whole ? extent(whole) : null;
    for (const point of points) {
      if (!travelled) continue;
      travelled[0] = Math.min(travelled[0], point.value);
      travelled[1] = Math.max(travelled[1], point.value);
    }
    return rowScale(parameter, value, height, open ? null : travelled);
  }, [parameter, value, height, open, whole, points]);
  const color = row.movers[0] ? hue(modulators, row.movers[0]) : "var(--color-ink)";
  const band = useCallback(
    (lines: Float32Array[]) => {
      const shown = dragged.length > 0 ? foreseen(lines, parameter, dragged, trajectories) : lines;
      return bandPath(shown[0] ?? [], shown[1] ?? [], trajectories, span, WIDTH, scale.y);
    },
    [dragged, parameter, trajectories, span, scale],
  );
  const path = useMemo(() => (outline ? band([outline.low, outline.high]) : ""), [outline, band]);
  const wide = useMemo(() => (spread ? band(spread) : ""), [spread, band]);
  const text = reading ? formattedRange(parameter, value, reading.least, reading.greatest) : "";
  const drawn = sorted(points);
  const logarithmic = parameter.scale === "logarithmic";
  const catalogue = useCatalogue();
  const toggle = () => setRows(soundId, (rows) => ({ open: toggled(rows.open, address) }));
  return (
    // Isolated, so that a row is painted anew without the others.
    <li
      className={`isolate flex border-b border-line ${lit ? "bg-paper" : ""} ${dimmed ? "opacity-45" : ""}`}
      data-row={address}
      {...droppable(row.target, catalogue)}
      onPointerEnter={() => useView.setState({ movers: row.movers })}
      onPointerLeave={() => useView.setState({ movers: [] })}
    >
      <div className="group relative w-[158px] shrink-0 pl-4 pr-1" style={{ height }}>
        <button
          type="button"
          className="block w-full text-left leading-tight"
          aria-expanded={open}
          title={open ? "Close the row" : "Open the row to read and to draw"}
          onClick={toggle}
        >
          <b className="block truncate">
            {pinned && <span aria-hidden>• </span>}
            {row.name}{" "}
          </b>
          <span className="label block truncate text-xs">{row.owner}</span>
        </button>
        <RowMenu row={row} pinned={pinned} open={open} />
        {open && <Axis parameter={parameter} value={value} scale={scale} height={height} />}
      </div>
      <div
        className="relative min-w-0 flex-1 bg-paper/60"
        style={{ height }}
        onPointerMove={(event) => {
          const box = event.currentTarget.getBoundingClientRect();
          const [from, to] = inView();
          const pointed = from + ((event.clientX - box.left) / box.width) * (to - from);
          useView.setState({ pointed });
        }}
        onPointerLeave={() => useView.setState({ pointed: null })}
        onPointerDown={(event) => {
          if (event.button !== 0 || (open && row.lane >= 0)) return;
          const pointed = useView.getState().pointed;
          if (pointed !== null) seek(Math.max(0, pointed));
        }}
      >
        <svg
          className="absolute inset-0 h-full w-full overflow-hidden"
          viewBox={`0 0 ${WIDTH} ${height}`}
          preserveAspectRatio="none"
          aria-hidden
        >
          {wide && <path d={wide} fill={color} opacity="0.18" />}
          {notes &&
            open &&
            Object.entries(notes.notes).map(([id, line]) => (
              <path
                key={id}
                d={bandPath(line, line, notes, span, WIDTH, scale.y)}
                fill="none"
                stroke={color}
                strokeWidth="0.8"
                opacity="0.6"
                vectorEffect="non-scaling-stroke"
              />
            ))}
          <path
            d={path}
            fill={color}
            stroke={color}
            strokeWidth="1.4"
            vectorEffect="non-scaling-stroke"
            data-path={address}
          />
          {drawn.length > 0 && (
            <path
              d={coursePath(drawn, logarithmic, span, WIDTH, scale.y)}
              fill="none"
              stroke="var(--color-ink)"
              strokeWidth="1.2"
              vectorEffect="non-scaling-stroke"
              strokeDasharray={row.movers.length ? "4 3" : undefined}
            />
          )}
        </svg>
        {!open &&
          drawn.map((point) => {
            const fraction = fractionOf(point.time, span);
            return fraction < 0 || fraction > 1 ? null : (
              <span
                key={`${point.time} ${point.value}`}
                className="pointer-events-none absolute h-[7px] w-[7px] -translate-x-1/2 -translate-y-1/2 border border-ink bg-paper"
                style={{ left: `${fraction * 100}%`, top: scale.y(point.value) }}
              />
            );
          })}
        {open && row.lane >= 0 && (
          <LaneEditor
            address={address}
            parameter={parameter}
            scale={scale}
            span={span}
            height={height}
          />
        )}
        <span className="pointer-events-none absolute right-1 top-0.5 flex max-w-[70%] items-center gap-1 bg-paper/85 px-1 text-xs text-slate">
          {row.movers.map((id) => (
            <span
              key={id}
              className="h-[7px] w-[7px]"
              style={{ background: hue(modulators, id) }}
            />
          ))}
          {row.lane >= 0 && <span className="h-[7px] w-[7px] bg-ink" />}
          <Readout row={row} text={text} />
          {reading && reading.words.length > 0 && (
            <span className="text-warn" title={reading.words.join(" ")}>
              {open ? reading.words.join(" ") : "!"}
            </span>
          )}
        </span>
        {open && reading && (
          <span className="pointer-events-none absolute bottom-0.5 right-1 bg-paper/85 px-1 text-xs text-slate">
            mean {formatted(parameter, value, reading.mean)}, fastest{" "}
            {withUnit(reading.fastest, parameter.depth_unit)} a second
          </span>
        )}
      </div>
    </li>
  );
});

const TICKS = [0.02, 0.25, 0.5, 0.75, 0.98];

/** Values beside an open row. */
function Axis({
  parameter,
  value,
  scale,
  height,
}: {
  parameter: Parameter;
  value: Value;
  scale: ReturnType<typeof rowScale>;
  height: number;
}) {
  return (
    <div
      className="pointer-events-none absolute inset-y-0 right-1 text-[10px] text-slate"
      aria-hidden
    >
      {TICKS.map((part) => {
        const y = part * height;
        return (
          <span
            key={part}
            className="absolute right-0 -translate-y-1/2 whitespace-nowrap"
            style={{ top: Math.min(height - 6, Math.max(34, y)) }}
          >
            {part * height > 30 &&
              formatted(parameter, value, Number(scale.value(y).toPrecision(2)))}
          </span>
        );
      })}
    </div>
  );
}
