import { memo, useId, useState } from "react";
import type { Value } from "../api/client";
import type { Parameter, PartPlace } from "../document/catalogue";
import { valueAt } from "../document/patch";
import { parsedNumbers, shown } from "../document/values";
import { notify } from "../notices/notices";
import { edit, useSession } from "../session/store";

/** A parameter that is a list of numbers, typed with spaces between. */
export const NumbersStrip = memo(function NumbersStrip({
  place,
  parameter,
}: {
  place: PartPlace;
  parameter: Parameter;
}) {
  const pointer = `${place.pointer}/params/${parameter.key}`;
  const value = useSession((s) => (s.sound ? (valueAt(s.sound, pointer) as Value) : []));
  const [text, setText] = useState<string | null>(null);
  const id = useId();
  const keep = () => {
    if (text === null) return;
    const found = parsedNumbers(parameter, text);
    if (!found) {
      notify(
        `“${text}” is not a list for ${parameter.name}. Write up to ${parameter.most} numbers with spaces between, for example ${shown(parameter, parameter.default)}.`,
      );
    } else if (JSON.stringify(found) !== JSON.stringify(value)) {
      edit("sound", [{ op: "replace", path: pointer, value: found }], parameter.name);
    }
    setText(null);
  };
  return (
    <div
      className="relative h-[50px] border border-line bg-paper focus-within:border-ink"
      title={parameter.help}
      data-address={`${place.path}.${parameter.key}`}
    >
      <label htmlFor={id} className="absolute left-[6px] top-[3px] text-slate">
        {parameter.name} {parameter.unit && `(${parameter.unit})`}
      </label>
      <input
        id={id}
        className="absolute inset-x-[3px] bottom-[3px] bg-paper px-1 font-bold"
        value={text ?? shown(parameter, value)}
        onChange={(event) => setText(event.target.value)}
        onBlur={keep}
        onKeyDown={(event) => {
          event.stopPropagation();
          if (event.key === "Enter") keep();
          if (event.key === "Escape") setText(null);
        }}
      />
    </div>
  );
});
