import { useId, useRef, useState } from "react";
import { shownNumber } from "../document/values";
import { notify } from "../notices/notices";
import { endGesture } from "../session/store";
import { hold } from "../ui/hold";

/** Pixels of a drag from nothing to the limit. */
const DRAG = 300;

/** A field for a number with its unit: typed, or stepped with the arrow keys. */
export function NumberField({
  label,
  value,
  unit,
  limit,
  step,
  onChange,
  hidden = false,
}: {
  label: string;
  value: number;
  unit: string;
  limit: number;
  step: number;
  onChange: (value: number, gesture: string | null) => void;
  /** Whether the label is only heard. */
  hidden?: boolean;
}) {
  const id = useId();
  const [text, setText] = useState<string | null>(null);
  const drag = useRef<{ y: number; value: number } | null>(null);
  const keep = () => {
    if (text === null) return;
    const number = Number(text.trim().replaceAll("−", "-").replace(",", "."));
    if (!Number.isFinite(number)) notify(`“${text}” is not a number.`);
    else if (Math.abs(number) > limit) {
      notify(
        `The ${label.toLowerCase()} goes from ${shownNumber(-limit)} to ${shownNumber(limit)} ${unit}.`,
      );
    } else onChange(number, null);
    setText(null);
  };
  return (
    <span className="flex items-center gap-1">
      <label
        htmlFor={id}
        className={hidden ? "sr-only" : "label cursor-ns-resize touch-none select-none"}
        title="Drag up or down, Shift for fine"
        onPointerDown={(event) => {
          drag.current = { y: event.clientY, value };
          hold(event, () => {
            drag.current = null;
          });
        }}
        onPointerMove={(event) => {
          const from = drag.current;
          if (!from) return;
          const by = ((from.y - event.clientY) / DRAG) * limit * (event.shiftKey ? 0.1 : 1);
          const next = Math.min(limit, Math.max(-limit, from.value + by));
          onChange(Number(next.toPrecision(3)), `drag ${id}`);
        }}
      >
        {label}
      </label>
      <input
        id={id}
        className="field w-[58px] py-0 text-right font-bold"
        inputMode="decimal"
        value={text ?? shownNumber(value)}
        onChange={(event) => setText(event.target.value)}
        onBlur={() => {
          keep();
          endGesture();
        }}
        onKeyDown={(event) => {
          if (event.key === "Enter") keep();
          const direction = event.key === "ArrowUp" ? 1 : event.key === "ArrowDown" ? -1 : 0;
          if (!direction) return;
          event.preventDefault();
          setText(null);
          const next = value + direction * step * (event.shiftKey ? 0.1 : 1);
          onChange(Number(Math.min(limit, Math.max(-limit, next)).toFixed(4)), `field ${id}`);
        }}
      />
      <span>{unit}</span>
    </span>
  );
}
