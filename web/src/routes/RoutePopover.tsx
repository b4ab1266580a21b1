import { Popover } from "radix-ui";
import type { Route } from "../api/client";
import type { Parameter, PartPlace } from "../document/catalogue";
import { useSkeleton } from "../session/hooks";
import { useCatalogue } from "../ui/catalogue-context";
import { Menu } from "../ui/Menu";
import { addModulatorEntries } from "./adding";
import { moveBy } from "./dropping";
import { RouteEditor } from "./RouteEditor";

/** The button at a strip's foot, and what it opens: the routes that move the parameter. */
export function RoutePopover({
  address,
  parameter,
  place,
  name,
  routes,
}: {
  address: string;
  parameter: Parameter;
  place: PartPlace;
  name: string;
  routes: Route[];
}) {
  const catalogue = useCatalogue();
  const modulators = useSkeleton()?.modulators ?? [];
  const move = (from: string) =>
    moveBy(from, { address, parameter, place, label: name }, catalogue);
  return (
    <Popover.Root>
      <Popover.Trigger
        aria-label={
          routes.length ? `${name} is moved by ${routes.length}; edit routes` : `Move ${name}`
        }
        className="absolute bottom-[3px] right-[3px] rounded-sm bg-paper/90 px-1 text-xs text-slate opacity-0 hover:text-ink focus-visible:opacity-100 group-hover:opacity-100 data-[state=open]:opacity-100"
      >
        {routes.length ? "routes" : "move"}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          className="panel z-40 w-[340px] p-3"
          sideOffset={4}
          collisionPadding={8}
          onKeyDown={(event) => event.stopPropagation()}
          aria-label={`Routes to ${name}`}
        >
          <h3 className="mb-1 text-base">{name}</h3>
          <p className="label mb-2">
            {routes.length ? "Moved by" : "Nothing moves this yet. Choose what should:"}
          </p>
          {routes.map((route) => (
            <RouteEditor key={route.id} id={route.id} parameter={parameter} />
          ))}
          <div className="mt-2 flex flex-wrap gap-1.5">
            {modulators
              .filter((m) => m.id !== place.path && !routes.some((route) => route.from === m.id))
              .map((m) => (
                <button key={m.id} type="button" className="button" onClick={() => move(m.id)}>
                  {m.name}
                </button>
              ))}
            <Menu
              button="New modulator"
              label={`Move ${name} by a new modulator`}
              entries={() => addModulatorEntries(catalogue, move)}
            />
          </div>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
