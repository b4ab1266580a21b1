import { useState } from "react";
import { keyName, parsedKey } from "../document/values";
import { notify } from "../notices/notices";

/** A field for a key, written as a note name or a number; `null` where none is a choice. */
export function NoteField({
  label,
  value,
  onKeep,
  onEmpty,
}: {
  label: string;
  value: number | null;
  onKeep: (key: number) => void;
  onEmpty?: () => void;
}) {
  const [text, setText] = useState<string | null>(null);
  const keep = () => {
    if (text === null) return;
    const key = parsedKey(text);
    if (text.trim() === "" && onEmpty) onEmpty();
    else if (key === null)
      notify(`“${text}” is not a note. Write a name such as C#3 or a key number.`);
    else if (key !== value) onKeep(key);
    setText(null);
  };
  return (
    <label className="flex items-center gap-2">
      <span className="label">{label}</span>
      <input
        className="field w-24"
        value={text ?? (value === null ? "" : keyName(value))}
        placeholder={onEmpty ? "no pitch" : undefined}
        onChange={(event) => setText(event.target.value)}
        onBlur={keep}
        onKeyDown={(event) => event.key === "Enter" && keep()}
      />
    </label>
  );
}
