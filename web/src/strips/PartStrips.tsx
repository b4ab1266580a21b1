import { useState } from "react";
import type { Sound, Value } from "../api/client";
import { addGroup, groupsLeftOut, removeGroup } from "../document/added";
import {
  applies,
  defaultValue,
  type Module,
  type Parameter,
  type PartPlace,
} from "../document/catalogue";
import { valueAt } from "../document/patch";
import { shown as shownValue } from "../document/values";
import { change } from "../session/change";
import { useSession } from "../session/store";
import { useCatalogue } from "../ui/catalogue-context";
import { NumbersStrip } from "./NumbersStrip";
import { ReferenceStrip } from "./ReferenceStrip";
import { ChoiceStrip, Strip } from "./Strip";
import { useUnfolded } from "./unfolded";

const NONE: readonly string[] = [];

/** The keys of a part's parameters that do something at the moment, as one text. */
function applying(sound: Sound | null, module: Module, place: PartPlace): string {
  const params = (sound && valueAt(sound, `${place.pointer}/params`)) as Record<
    string,
    Value
  > | null;
  if (!sound || !params) return "";
  const isMoved = (key: string) =>
    [...sound.routes, ...sound.lanes].some((mover) => mover.to === `${place.path}.${key}`);
  return module.parameters
    .filter((p) => applies(module, p, params, isMoved))
    .map((p) => p.key)
    .join(" ");
}

function OneStrip({
  place,
  parameter,
  name,
}: {
  place: PartPlace;
  parameter: Parameter;
  name?: string;
}) {
  switch (parameter.kind) {
    case "choice":
    case "switch":
      return <ChoiceStrip place={place} parameter={parameter} />;
    case "numbers":
      return <NumbersStrip place={place} parameter={parameter} />;
    case "reference":
      return <ReferenceStrip place={place} parameter={parameter} />;
    default:
      return <Strip place={place} parameter={parameter} name={name} />;
  }
}

/** The strips of a part's parameters, those that do something at the moment, in their groups. */
export function PartStrips({
  place,
  only,
  without = NONE,
  rename,
  headed = false,
}: {
  place: PartPlace;
  /** Some of the parameters, by their keys or by the groups that the catalogue puts them in. */
  only?: string[];
  /** What is shown elsewhere or in another way, likewise. */
  without?: readonly string[];
  rename?: (parameter: Parameter) => string;
  /** Whether a single group has its heading too, where other strips stand before it. */
  headed?: boolean;
}) {
  const module = useCatalogue().module(place.family, place.kind);
  const keys = useSession((s) => applying(s.sound, module, place)).split(" ");
  const leftOut = useSession((s) => leftOutOf(s.sound, module, place))
    .split("\n")
    .filter(Boolean);
  const shown = module.parameters.filter(
    (p) =>
      keys.includes(p.key) &&
      !without.includes(p.key) &&
      !without.includes(p.group) &&
      !leftOut.includes(p.group) &&
      (!only || only.includes(p.key) || only.includes(p.group)),
  );
  const groups = [...new Set(shown.map((p) => p.group))];
  const isHeaded = headed || groups.length > 1;
  const { added } = module;
  return (
    <>
      {groups.map((group, i) => (
        <Group
          key={group}
          name={group}
          opened={i === 0 && !only}
          place={place}
          parameters={shown.filter((p) => p.group === group)}
          headed={isHeaded}
          rename={rename}
        />
      ))}
      {added && !only && (
        <button
          type="button"
          className="button col-span-full justify-self-start"
          disabled={leftOut.length === 0}
          title={leftOut.length === 0 ? `All ${added.keys.length} are there` : undefined}
          onClick={() => change(`Add ${added.name}`, (s) => addGroup(s, module, place))}
        >
          Add {added.name}
        </button>
      )}
    </>
  );
}

/** The groups that a part has not added, as one text. */
function leftOutOf(sound: Sound | null, module: Module, place: PartPlace): string {
  const params = sound && module.added && valueAt(sound, `${place.pointer}/params`);
  return params ? groupsLeftOut(module, params as Record<string, Value>).join("\n") : "";
}

/** Takes a group away, where the module lets groups be added. */
function RemoveGroup({ module, place, name }: { module: Module; place: PartPlace; name: string }) {
  return (
    <button
      type="button"
      className="button-plain ml-2 font-normal"
      aria-label={`Remove ${name.toLowerCase()} of ${place.title}`}
      onClick={() =>
        change(`Remove ${name.toLowerCase()}`, (s) => removeGroup(s, module, place, name))
      }
    >
      Remove
    </button>
  );
}

/** Whether nothing of a group is moved or differs from its plain default. */
function atRest(sound: Sound | null, place: PartPlace, parameters: Parameter[]): boolean {
  const params = (sound && valueAt(sound, `${place.pointer}/params`)) as Record<
    string,
    Value
  > | null;
  if (!sound || !params) return false;
  const moved = new Set([...sound.routes, ...sound.lanes].map((mover) => mover.to));
  return parameters.every(
    (p) =>
      !moved.has(`${place.path}.${p.key}`) &&
      JSON.stringify(params[p.key]) === JSON.stringify(defaultValue(p)),
  );
}

/**
 * A group of strips under its heading. One that is at its plain default is folded into a line that
 * says its values; once shown it stays, so that nothing folds away under the hand.
 */
function Group({
  name,
  opened,
  place,
  parameters,
  headed,
  rename,
}: {
  name: string;
  /** Whether it is shown at rest too: something of each part can be taken hold of at once. */
  opened: boolean;
  place: PartPlace;
  parameters: Parameter[];
  headed: boolean;
  rename?: (parameter: Parameter) => string;
}) {
  const module = useCatalogue().module(place.family, place.kind);
  const isAdded = parameters.some((p) => module.added?.keys.includes(p.key));
  const everything = useUnfolded((s) => s.everything);
  const [shown, setShown] = useState(
    () => opened || !headed || !name || !atRest(useSession.getState().sound, place, parameters),
  );
  const rests = useSession((s) => !shown && atRest(s.sound, place, parameters));
  if (!shown && !rests) setShown(true);
  if (headed && name && rests && !everything) {
    const values = parameters.map(
      (p) => `${(rename?.(p) ?? p.name).toLowerCase()} ${shownValue(p, defaultValue(p))}`,
    );
    return (
      <button
        type="button"
        className="label col-span-full truncate text-left text-xs hover:text-ink"
        aria-expanded={false}
        title="At rest; open it"
        onClick={() => setShown(true)}
      >
        <span className="font-semibold">{name}</span> {values.join(", ")}
      </button>
    );
  }
  return (
    <>
      {headed && (
        <h3 className="label col-span-full -mb-1 text-xs font-semibold">
          {name}
          {isAdded && <RemoveGroup module={module} place={place} name={name} />}
        </h3>
      )}
      {parameters.map((parameter) => (
        <OneStrip
          key={parameter.key}
          place={place}
          parameter={parameter}
          name={rename?.(parameter)}
        />
      ))}
    </>
  );
}
