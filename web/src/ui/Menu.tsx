import { DropdownMenu } from "radix-ui";
import { Fragment, type ReactNode, useState } from "react";

export interface MenuEntry {
  name: string;
  /** What tells it from entries of the same name, where there are such. */
  key?: string;
  help?: string;
  /** The heading that it stands under. */
  group?: string;
  act: () => void;
  disabled?: boolean;
}

/** From so many entries on, a menu can be searched. */
const MANY = 10;

/** The first entry that can be chosen. */
const FIRST = "[role=menuitem]:not([data-disabled])";

/** Focus a field when it comes; the same function each time, so that it does not again later. */
const focused = (field: HTMLInputElement | null) => field?.focus();

function matching(entries: MenuEntry[], sought: string): MenuEntry[] {
  const words = sought.toLowerCase().split(/\s+/).filter(Boolean);
  return entries.filter((entry) => {
    const text = `${entry.name} ${entry.group ?? ""} ${entry.help ?? ""}`.toLowerCase();
    return words.every((word) => text.includes(word));
  });
}

function Entries({ entries }: { entries: MenuEntry[] }) {
  const groups = [...new Set(entries.map((entry) => entry.group ?? ""))];
  return groups.map((group) => (
    <Fragment key={group}>
      {group && groups.length > 1 && (
        <DropdownMenu.Label className="label px-3 pt-2 text-xs">{group}</DropdownMenu.Label>
      )}
      {entries
        .filter((entry) => (entry.group ?? "") === group)
        .map((entry) => (
          <DropdownMenu.Item
            key={entry.key ?? entry.name}
            disabled={entry.disabled}
            onSelect={entry.act}
            className="cursor-pointer px-3 py-1.5 outline-none data-[disabled]:cursor-default data-[highlighted]:bg-ink data-[highlighted]:text-paper data-[disabled]:opacity-50"
          >
            <div className="font-semibold">{entry.name}</div>
            {entry.help && <div className="max-w-64 text-xs opacity-80">{entry.help}</div>}
          </DropdownMenu.Item>
        ))}
    </Fragment>
  ));
}

/** A button that opens a menu of things to do; long ones are grouped, searched and scrolled. */
export function Menu({
  button,
  label,
  entries,
  className = "button-plain",
}: {
  button: ReactNode;
  label: string;
  /** The entries, or what makes them once the menu is opened. */
  entries: MenuEntry[] | (() => MenuEntry[]);
  className?: string;
}) {
  const [open, setOpen] = useState(false);
  const [sought, setSought] = useState("");
  const all = !open ? [] : typeof entries === "function" ? entries() : entries;
  const found = matching(all, sought);
  return (
    <DropdownMenu.Root
      modal={false}
      open={open}
      onOpenChange={(next) => {
        setOpen(next);
        setSought("");
      }}
    >
      <DropdownMenu.Trigger className={className} aria-label={label}>
        {button}
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          className="panel z-50 flex max-h-[min(28rem,var(--radix-dropdown-menu-content-available-height))] min-w-44 flex-col py-1"
          align="end"
          sideOffset={3}
          collisionPadding={8}
        >
          {all.length >= MANY && (
            <input
              className="field mx-2 my-1"
              aria-label={`Search: ${label}`}
              placeholder="Search"
              value={sought}
              ref={focused}
              onChange={(event) => setSought(event.target.value)}
              onKeyDown={(event) => {
                // The arrow down leads into the list and Escape closes it; all else is typed here.
                if (event.key === "Enter" && found[0] && !found[0].disabled) {
                  found[0].act();
                  setOpen(false);
                }
                if (event.key === "ArrowDown") {
                  event.preventDefault();
                  const menu = event.currentTarget.closest("[role=menu]");
                  menu?.querySelector<HTMLElement>(FIRST)?.focus();
                }
                if (!["Escape", "Tab"].includes(event.key)) event.stopPropagation();
              }}
            />
          )}
          <div className="min-h-0 overflow-y-auto">
            <Entries entries={found} />
            {found.length === 0 && <p className="label px-3 py-1.5">Nothing of that name.</p>}
          </div>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
