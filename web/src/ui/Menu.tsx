import { DropdownMenu } from "radix-ui";
import type { ReactNode } from "react";

export interface MenuEntry {
  name: string;
  help?: string;
  act: () => void;
  disabled?: boolean;
}

/** A button that opens a menu of things to do. */
export function Menu({
  button,
  label,
  entries,
  className = "button-plain",
}: {
  button: ReactNode;
  label: string;
  entries: MenuEntry[];
  className?: string;
}) {
  return (
    <DropdownMenu.Root modal={false}>
      <DropdownMenu.Trigger className={className} aria-label={label}>
        {button}
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content className="panel z-50 min-w-44 py-1" align="end" sideOffset={3}>
          {entries.map((entry) => (
            <DropdownMenu.Item
              key={entry.name}
              disabled={entry.disabled}
              onSelect={entry.act}
              className="cursor-pointer px-3 py-1.5 outline-none data-[disabled]:cursor-default data-[highlighted]:bg-ink data-[highlighted]:text-paper data-[disabled]:opacity-50"
            >
              <div className="font-semibold">{entry.name}</div>
              {entry.help && <div className="max-w-64 text-xs opacity-80">{entry.help}</div>}
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
