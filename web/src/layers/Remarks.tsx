import { Popover } from "radix-ui";
import { useSession } from "../session/store";

/** What of the sound does nothing, though it was meant to; nothing where there is none. */
export function Remarks() {
  const remarks = useSession((s) => s.remarks);
  if (remarks.length === 0) return null;
  const count = remarks.length === 1 ? "1 remark" : `${remarks.length} remarks`;
  return (
    <Popover.Root>
      <Popover.Trigger className="button-plain">{count}</Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          className="panel z-40 max-h-[60vh] w-[420px] overflow-y-auto p-3"
          sideOffset={4}
          collisionPadding={8}
          onKeyDown={(event) => event.stopPropagation()}
          aria-label="Remarks"
        >
          <p className="label mb-2">These do nothing, though they look as if they should:</p>
          <ul className="space-y-1">
            {remarks.map((remark) => (
              <li key={remark}>{remark}</li>
            ))}
          </ul>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
