import { Dialog } from "radix-ui";
import type { ReactNode } from "react";

/** A button and the panel that it opens. Nothing behind the panel is blocked. */
export function Panel({
  button,
  title,
  open,
  onOpen,
  place,
  className = "button",
  label,
  hint,
  children,
}: {
  button: ReactNode;
  title: string;
  open: boolean;
  onOpen: (open: boolean) => void;
  /** Where the panel lies and how large it is, as classes. */
  place: string;
  className?: string;
  label?: string;
  hint?: string;
  children: ReactNode;
}) {
  return (
    <Dialog.Root open={open} onOpenChange={onOpen} modal={false}>
      <Dialog.Trigger className={className} aria-label={label} title={hint}>
        {button}
      </Dialog.Trigger>
      <Dialog.Portal>
        <Dialog.Content
          className={`panel fixed z-50 overflow-y-auto p-4 ${place}`}
          onKeyDown={(event) => event.stopPropagation()}
          aria-describedby={undefined}
        >
          <Dialog.Title className="mb-2 text-base">{title}</Dialog.Title>
          {children}
          <Dialog.Close className="button-plain absolute right-2 top-2" aria-label="Close">
            ✕
          </Dialog.Close>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
