import type { Effect } from "../api/client";
import { type Catalogue, effectParts, type PartPlace } from "../document/catalogue";
import { addModule } from "../document/edits";
import { valueAt } from "../document/patch";
import { change } from "../session/change";
import { useSession } from "../session/store";
import { PartStrips } from "../strips/PartStrips";
import { useCatalogue } from "../ui/catalogue-context";
import { Menu, type MenuEntry } from "../ui/Menu";
import { Section } from "../ui/Section";
import { useCopyEntries } from "./copies";
import { PartActions } from "./PartActions";
import type { Station } from "./Stations";

/** What can be added to a chain of effects: copies, and the catalogue's by their categories. */
export function useEffectEntries(effects: Effect[], pointer: string): MenuEntry[] {
  const catalogue = useCatalogue();
  const copies = useCopyEntries("effect", effects, pointer);
  const added = catalogue.family("effect").map((effect) => ({
    name: effect.name,
    help: effect.help,
    group: effect.category,
    disabled: effects.length >= catalogue.limits.effects,
    act: () =>
      change("Add effect", () => addModule(catalogue, "effect", effect.kind, pointer, effects)),
  }));
  return [...copies, ...added];
}

/** One effect with its strips, and the chains inside it. */
function OneEffect({
  effect,
  place,
  siblings,
}: {
  effect: Effect;
  place: PartPlace;
  siblings: number;
}) {
  const module = useCatalogue().module("effect", place.kind);
  const on = useSession((s) =>
    module.chains
      .filter(
        ({ when }) =>
          !when ||
          (s.sound &&
            when.is.includes(String(valueAt(s.sound, `${place.pointer}/params/${when.key}`)))),
      )
      .map((chain) => chain.id)
      .join(" "),
  ).split(" ");
  return (
    <>
      <Section
        title={module.name}
        about={effect.bypass ? `${module.help}, bypassed` : module.help}
        actions={<PartActions place={place} bypass={effect.bypass} siblings={siblings} />}
      >
        <PartStrips place={place} />
      </Section>
      {module.chains.map((chain, c) =>
        !on.includes(chain.id) ? null : (
          <div key={chain.id} className="mb-3 ml-3 border-l border-line pl-3">
            <h3 className="label">{chain.name}</h3>
            <InnerChain
              effects={effect.chains?.[c]?.effects ?? []}
              prefix={`${place.path}.${chain.id}`}
              pointer={`${place.pointer}/chains/${c}/effects`}
              owner={place.owner}
            />
          </div>
        ),
      )}
    </>
  );
}

function placesOf(effects: Effect[], prefix: string, pointer: string, owner: string) {
  const alone = effects.map((effect) => ({ ...effect, chains: [] }));
  return effectParts(alone, prefix, pointer, owner);
}

/** A chain of effects inside an effect. */
function InnerChain({
  effects,
  prefix,
  pointer,
  owner,
}: {
  effects: Effect[];
  /** The address of whatever the chain belongs to. */
  prefix: string;
  pointer: string;
  owner: string;
}) {
  const entries = useEffectEntries(effects, pointer);
  return (
    <>
      {placesOf(effects, prefix, pointer, owner).map((place, i) => (
        <OneEffect
          key={place.path}
          effect={effects[i] as Effect}
          place={place}
          siblings={effects.length}
        />
      ))}
      <Menu
        button="Add effect"
        label={`Add effect to ${owner}`}
        className="button"
        entries={entries}
      />
    </>
  );
}

/** The stations of a chain of effects. */
export function effectStations(
  catalogue: Catalogue,
  effects: Effect[],
  prefix: string,
  pointer: string,
  owner: string,
): Station[] {
  return placesOf(effects, prefix, pointer, owner).map((place, i) => ({
    id: place.path,
    title: catalogue.module("effect", place.kind).name,
    place,
    slot: place.path,
    bypassed: effects[i]?.bypass,
    content: <OneEffect effect={effects[i] as Effect} place={place} siblings={effects.length} />,
  }));
}
