import { useEffect, useRef, useState } from "react";

/** A name that turns into a field on a double click or F2. */
export function EditableName({
  name,
  label,
  onChange,
  className = "",
  chosen,
  onChoose,
}: {
  name: string;
  label: string;
  onChange: (name: string) => void;
  className?: string;
  /** Where a click chooses what bears the name: whether it is chosen. */
  chosen?: boolean;
  onChoose?: () => void;
}) {
  const [draft, setDraft] = useState<string | null>(null);
  const field = useRef<HTMLInputElement>(null);
  const editing = draft !== null;
  useEffect(() => {
    if (editing) field.current?.select();
  }, [editing]);
  if (draft === null) {
    return (
      <button
        type="button"
        className={`truncate rounded-sm text-left ${className}`}
        title={`${name} (double-click or F2 to rename)`}
        aria-label={`${label}: ${name}`}
        aria-pressed={onChoose ? chosen : undefined}
        onClick={onChoose}
        onDoubleClick={() => setDraft(name)}
        onKeyDown={(event) => event.key === "F2" && setDraft(name)}
      >
        {name}
      </button>
    );
  }
  const keep = () => {
    const plain = draft.trim().slice(0, 80);
    if (plain && plain !== name) onChange(plain);
    setDraft(null);
  };
  return (
    <input
      ref={field}
      className="field w-full py-0"
      aria-label={label}
      value={draft}
      onChange={(event) => setDraft(event.target.value)}
      onBlur={keep}
      onKeyDown={(event) => {
        event.stopPropagation();
        if (event.key === "Enter") keep();
        if (event.key === "Escape") setDraft(null);
      }}
    />
  );
}
