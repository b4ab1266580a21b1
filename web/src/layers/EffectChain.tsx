import type { Effect } from "../api/client";
import { effectParts } from "../document/catalogue";
import { addModule } from "../document/edits";
import { change } from "../session/change";
import { PartStrips } from "../strips/PartStrips";
import { useCatalogue } from "../ui/catalogue-context";
import { Menu, type MenuEntry } from "../ui/Menu";
import { Section } from "../ui/Section";
import { PartActions } from "./PartActions";

/** What can be added to a chain of effects, in the catalogue's categories. */
export function useEffectEntries(effects: Effect[], pointer: string): MenuEntry[] {
  const catalogue = useCatalogue();
  return catalogue.family("effect").map((effect) => ({
    name: effect.name,
    help: effect.help,
    group: effect.category,
    disabled: effects.length >= catalogue.limits.effects,
    act: () =>
      change("Add effect", () => addModule(catalogue, "effect", effect.kind, pointer, effects)),
  }));
}

function AddEffect({ effects, pointer, to }: { effects: Effect[]; pointer: string; to: string }) {
  const entries = useEffectEntries(effects, pointer);
  return (
    <Menu
      button="Add effect"
      label={`Add an effect to ${to}`}
      className="button"
      entries={entries}
    />
  );
}

/** The effects of a layer, a bus, the master, or a chain inside an effect. */
export function EffectChain({
  effects,
  prefix,
  pointer,
  owner,
  about,
  adding = true,
}: {
  effects: Effect[];
  /** The address of whatever the chain belongs to. */
  prefix: string;
  pointer: string;
  owner: string;
  about?: string;
  adding?: boolean;
}) {
  const catalogue = useCatalogue();
  const places = effectParts(
    effects.map((effect) => ({ ...effect, chains: [] })),
    prefix,
    pointer,
    owner,
  );
  return (
    <>
      {places.map((place, i) => {
        const module = catalogue.module("effect", place.kind);
        const effect = effects[i];
        const said = about ?? module.help;
        return (
          <div key={place.path}>
            <Section
              title={module.name}
              about={effect?.bypass ? `${said}, bypassed` : said}
              actions={
                <PartActions
                  place={place}
                  bypass={effect?.bypass ?? false}
                  siblings={effects.length}
                />
              }
            >
              <PartStrips place={place} />
            </Section>
            {module.chains.map((chain, c) => {
              const inner = effect?.chains?.[c]?.effects ?? [];
              const at = `${place.pointer}/chains/${c}/effects`;
              return (
                <div key={chain.id} className="mb-3 ml-3 border-l border-line pl-3">
                  <h3 className="label">{chain.name}</h3>
                  <EffectChain
                    effects={inner}
                    prefix={`${place.path}.${chain.id}`}
                    pointer={at}
                    owner={owner}
                  />
                </div>
              );
            })}
          </div>
        );
      })}
      {adding && <AddEffect effects={effects} pointer={pointer} to={owner} />}
    </>
  );
}
