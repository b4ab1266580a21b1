import type { Bus, Layer } from "../api/client";
import { layerParts, type PartPlace } from "../document/catalogue";
import { addModule } from "../document/edits";
import { change } from "../session/change";
import { useValue } from "../session/hooks";
import { edit } from "../session/store";
import { PartStrips } from "../strips/PartStrips";
import { useCatalogue } from "../ui/catalogue-context";
import { Menu } from "../ui/Menu";
import { Section } from "../ui/Section";
import { EffectChain, useEffectEntries } from "./EffectChain";
import { Envelope } from "./Envelope";
import { PartActions } from "./PartActions";
import { SendActions, Sends } from "./Sends";
import { SourceEditor } from "./SourceEditor";

function FiltersJoined({ pointer }: { pointer: string }) {
  const catalogue = useCatalogue();
  const path = `${pointer}/params/arrangement`;
  const joined = String(useValue(path));
  const parameter = catalogue
    .module("part", "layer")
    .parameters.find((p) => p.key === "arrangement");
  return (
    <select
      className="bg-transparent"
      aria-label="Filters joined"
      value={joined}
      onChange={(event) =>
        edit("sound", [{ op: "replace", path, value: event.target.value }], "Filters joined")
      }
    >
      {parameter?.choices.map((choice) => (
        <option key={choice.value} value={choice.value}>
          {choice.name.toLowerCase()}
        </option>
      ))}
    </select>
  );
}

function Filters({ layer, index, own }: { layer: Layer; index: number; own: PartPlace }) {
  const catalogue = useCatalogue();
  const places = layerParts(layer, index).filter((part) => part.family === "filter");
  const about =
    places.length >= 2 ? (
      <FiltersJoined pointer={own.pointer} />
    ) : places.length === 0 ? (
      "none; the source is heard as it is"
    ) : (
      ""
    );
  return (
    <>
      <Section
        title="Filters"
        about={about}
        actions={
          <Menu
            button="Add"
            label="Add a filter"
            entries={catalogue.family("filter").map((filter) => ({
              name: filter.name,
              help: filter.help,
              group: filter.category,
              disabled: places.length >= catalogue.limits.filters,
              act: () =>
                change("Add filter", () =>
                  addModule(
                    catalogue,
                    "filter",
                    filter.kind,
                    `/layers/${index}/filters`,
                    layer.filters,
                  ),
                ),
            }))}
          />
        }
      >
        {places.length >= 2 && <PartStrips place={own} only={["blend"]} />}
      </Section>
      {places.map((place, i) => (
        <Section
          key={place.path}
          title={`${i + 1} ${catalogue.module("filter", place.kind).name}`}
          about={layer.filters[i]?.bypass ? "bypassed" : ""}
          actions={
            <PartActions
              place={place}
              bypass={layer.filters[i]?.bypass ?? false}
              siblings={places.length}
            />
          }
        >
          <PartStrips place={place} />
        </Section>
      ))}
    </>
  );
}

/** The chain of one layer, from its source to its place in the mix; `layer` is without values. */
export function LayerEditor({
  layer,
  index,
  buses,
}: {
  layer: Layer;
  index: number;
  buses: Bus[];
}) {
  const parts = layerParts(layer, index);
  const own = parts[0] as PartPlace;
  const source = parts.find((p) => p.family === "source") as PartPlace;
  const envelope = parts.find((p) => p.kind === "amplitude") as PartPlace;
  const inserts = `/layers/${index}/inserts`;
  const effects = useEffectEntries(layer.inserts, inserts);
  return (
    <>
      <SourceEditor layer={layer} index={index} source={source} own={own} />
      <Filters layer={layer} index={index} own={own} />
      <Envelope place={envelope} />
      <EffectChain
        effects={layer.inserts}
        prefix={layer.id}
        pointer={inserts}
        owner={layer.name}
        about="on this layer alone"
        adding={false}
      />
      <Section
        title="In the mix"
        about="level, place, and how much goes where"
        actions={
          <>
            <Menu button="Add effect" label="Add an effect to this layer" entries={effects} />
            <SendActions sender={layer} pointer={`/layers/${index}`} buses={buses} />
          </>
        }
      >
        <PartStrips place={own} only={["Mix"]} />
        <Sends sender={layer} pointer={`/layers/${index}`} buses={buses} />
      </Section>
      <Section title="Between layers" about="ring and phase modulation, by a sine or another layer">
        <PartStrips place={own} only={["Ring modulation", "Phase modulation"]} />
      </Section>
      <Section title="Key and velocity range" about="which notes this layer plays">
        <PartStrips place={own} only={["Keys", "Velocities"]} />
      </Section>
    </>
  );
}
