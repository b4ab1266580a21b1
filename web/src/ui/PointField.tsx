import { useRef, useState } from "react";
import { hold, holdBy } from "./hold";

/** A point of a drawn course: its moment, its value, and the bend of the way to the next. */
export interface CurvePoint {
  time: number;
  value: number;
  bend: number;
}

/** How moments and values lie on the field: fractions of its width from the left, and from the top. */
export interface FieldScale {
  x: (time: number) => number;
  time: (x: number) => number;
  y: (value: number) => number;
  value: (y: number) => number;
}

/** Pixels of a drag that bend a way from one end to the other. */
const BEND_DRAG = 90;
const SMALL_STEP = 0.01;
const BEND_STEP = 10;

const bounded = (bend: number) => Math.round(Math.min(100, Math.max(-100, bend)));

function inOrder(points: CurvePoint[]): CurvePoint[] {
  return [...points].sort((a, b) => a.time - b.time);
}

/**
 * A field of points: a click adds one, a drag moves it, Alt and a drag bend the way behind it; each
 * is a button that arrow keys move, Alt and arrow keys bend, and Delete removes.
 */
export function PointField({
  points,
  scale,
  label,
  name,
  onChange,
  onEnd,
  added,
  most,
}: {
  points: CurvePoint[];
  scale: FieldScale;
  /** What a screen reader hears of a point. */
  label: (point: CurvePoint) => string;
  /** What the field is called. */
  name: string;
  onChange: (points: CurvePoint[], gesture: string | null) => void;
  onEnd: () => void;
  /** The moment at which the keys add a point. */
  added: () => number;
  most: number;
}) {
  const area = useRef<HTMLDivElement>(null);
  const [chosen, setChosen] = useState<number | null>(null);
  const drag = useRef<{
    index: number;
    y: number;
    bend: number | null;
    points: CurvePoint[];
  } | null>(null);
  const at = (clientX: number, clientY: number) => {
    const box = area.current?.getBoundingClientRect();
    if (!box) return { time: 0, value: 0 };
    return {
      time: scale.time((clientX - box.left) / box.width),
      value: scale.value((clientY - box.top) / box.height),
    };
  };
  const add = (point: CurvePoint) => {
    if (points.length >= most) return points;
    const next = inOrder([...points, point]);
    onChange(next, null);
    setChosen(next.indexOf(point));
    return next;
  };
  const replace = (index: number, part: Partial<CurvePoint>) => {
    const next = points.map((p, i) => (i === index ? { ...p, ...part } : p));
    const moved = next[index];
    const order = inOrder(next);
    onChange(order, `keys ${name}`);
    if (moved) setChosen(order.indexOf(moved));
  };
  const remove = (index: number) => {
    onChange(
      points.filter((_, i) => i !== index),
      null,
    );
    setChosen(null);
  };
  const onKey = (event: React.KeyboardEvent, index: number, point: CurvePoint) => {
    const size = SMALL_STEP * (event.shiftKey ? 0.1 : 1);
    const aside = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    const up = { ArrowUp: 1, ArrowDown: -1 }[event.key];
    if (aside && !event.altKey) {
      replace(index, { time: scale.time(scale.x(point.time) + aside * size) });
    } else if (up && event.altKey) replace(index, { bend: bounded(point.bend + up * BEND_STEP) });
    else if (up) replace(index, { value: scale.value(scale.y(point.value) - up * 2 * size) });
    else if (event.key === "Delete" || event.key === "Backspace") remove(index);
    else if (event.key === "Enter" || event.key === "Insert") {
      add({ time: added(), value: point.value, bend: 0 });
    } else return;
    event.preventDefault();
    event.stopPropagation();
  };
  const letGo = () => {
    drag.current = null;
    onEnd();
  };
  return (
    // biome-ignore lint/a11y/useSemanticElements: a field set cannot be drawn in
    <div
      ref={area}
      role="group"
      aria-label={name}
      className="absolute inset-0 cursor-crosshair touch-none select-none"
      onPointerDown={(event) => {
        if (event.button !== 0 || event.target !== event.currentTarget) return;
        event.stopPropagation();
        const point = { ...at(event.clientX, event.clientY), bend: 0 };
        const next = add(point);
        drag.current = { index: next.indexOf(point), y: event.clientY, bend: null, points: next };
        hold(event, letGo);
      }}
      onPointerMove={(event) => {
        const held = drag.current;
        if (!held?.points[held.index]) return;
        const changed =
          held.bend === null
            ? at(event.clientX, event.clientY)
            : { bend: bounded(held.bend + ((held.y - event.clientY) / BEND_DRAG) * 100) };
        onChange(
          inOrder(held.points.map((p, i) => (i === held.index ? { ...p, ...changed } : p))),
          `drag ${name}`,
        );
      }}
    >
      {points.map((point, index) => {
        const x = scale.x(point.time);
        if (x < -0.001 || x > 1.001) return null;
        return (
          <button
            // biome-ignore lint/suspicious/noArrayIndexKey: points have no other name
            key={index}
            type="button"
            className={`absolute h-[9px] w-[9px] -translate-x-1/2 -translate-y-1/2 cursor-move touch-none border border-ink ${
              chosen === index ? "bg-ink" : "bg-paper"
            }`}
            style={{ left: `${x * 100}%`, top: `${scale.y(point.value) * 100}%` }}
            aria-label={label(point)}
            title="Drag it; Alt and drag bend the way behind it; Delete removes it"
            onFocus={() => setChosen(index)}
            onPointerDown={(event) => {
              event.stopPropagation();
              setChosen(index);
              const bend = event.altKey ? point.bend : null;
              drag.current = { index, y: event.clientY, bend, points };
              holdBy(area.current, event.pointerId, letGo);
            }}
            onDoubleClick={() => remove(index)}
            onKeyDown={(event) => onKey(event, index, point)}
            onKeyUp={onEnd}
          />
        );
      })}
      {points.length === 0 && (
        <button
          type="button"
          className="label absolute left-2 top-1/2 -translate-y-1/2 text-xs"
          onClick={() => add({ time: added(), value: scale.value(0.5), bend: 0 })}
        >
          Click anywhere to draw points
        </button>
      )}
    </div>
  );
}
