import type { RefObject } from "react";

/** Where files are chosen; hidden, since a button or a menu of ours opens it by a click. */
export function FileField({
  field,
  label,
  accept,
  multiple = false,
  onFiles,
}: {
  field: RefObject<HTMLInputElement | null>;
  label: string;
  accept: string;
  multiple?: boolean;
  onFiles: (files: [File, ...File[]]) => void;
}) {
  return (
    <input
      ref={field}
      type="file"
      accept={accept}
      multiple={multiple}
      className="hidden"
      aria-label={label}
      onChange={(event) => {
        const [first, ...more] = event.target.files ?? [];
        // Emptied, so that the same file can be chosen again.
        event.target.value = "";
        if (first) onFiles([first, ...more]);
      }}
    />
  );
}
