import type { Bus, Layer } from "../api/client";
import { layerParts, type PartPlace } from "../document/catalogue";
import { addModule } from "../document/edits";
import { addSource } from "../document/source-edits";
import { sourcesOf } from "../document/sources";
import { useFirstRecording } from "../material/library";
import { FilterPicture } from "../pictures/FilterPicture";
import { change } from "../session/change";
import { useValue } from "../session/hooks";
import { edit } from "../session/store";
import { PartStrips } from "../strips/PartStrips";
import { useCatalogue } from "../ui/catalogue-context";
import { Menu } from "../ui/Menu";
import { Section } from "../ui/Section";
import { useCopyEntries } from "./copies";
import { effectStations, useEffectEntries } from "./EffectChain";
import { Envelope } from "./Envelope";
import { LevelTo } from "./LevelTo";
import { PartActions } from "./PartActions";
import { Presets } from "./Presets";
import { SendActions, Sends } from "./Sends";
import { SourceEditor } from "./SourceEditor";
import { type Station, Stations } from "./Stations";

/** How several filters are joined; it stands with each of them, and is one thing. */
function FiltersJoined({ pointer, at }: { pointer: string; at: number }) {
  const catalogue = useCatalogue();
  const path = `${pointer}/params/arrangement`;
  const joined = String(useValue(path));
  const parameter = catalogue
    .module("part", "layer")
    .parameters.find((p) => p.key === "arrangement");
  return (
    <select
      className="bg-transparent"
      aria-label={at === 0 ? "Filters joined" : `Filters joined, at filter ${at + 1}`}
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

/** What can be added beside a layer's sources. */
function AddSource({ layer, index }: { layer: Layer; index: number }) {
  const catalogue = useCatalogue();
  const first = useFirstRecording();
  const full = sourcesOf(layer).length >= catalogue.limits.sources;
  const entries = catalogue.family("source").map((source) => ({
    name: source.name,
    help: source.help,
    disabled: full,
    act: () =>
      change("Add source", (sound) => addSource(sound, catalogue, index, source.kind, first)),
  }));
  return <Menu button="Add source" label="Add source" entries={entries} />;
}

/** What can be added to a layer's filters. */
function AddFilter({ layer, index }: { layer: Layer; index: number }) {
  const catalogue = useCatalogue();
  const list = `/layers/${index}/filters`;
  const copies = useCopyEntries("filter", layer.filters, list);
  const added = catalogue.family("filter").map((filter) => ({
    name: filter.name,
    help: filter.help,
    group: filter.category,
    disabled: layer.filters.length >= catalogue.limits.filters,
    act: () =>
      change("Add filter", () => addModule(catalogue, "filter", filter.kind, list, layer.filters)),
  }));
  return <Menu button="Add filter" label="Add filter" entries={[...copies, ...added]} />;
}

/** One filter; the first of several also says how they are joined. */
function Filter({
  place,
  at,
  layer,
  own,
}: {
  place: PartPlace;
  at: number;
  layer: Layer;
  own: PartPlace;
}) {
  const catalogue = useCatalogue();
  const bypass = layer.filters[at]?.bypass ?? false;
  const several = layer.filters.length >= 2;
  return (
    <Section
      title={`${at + 1} ${catalogue.module("filter", place.kind).name}`}
      about={
        several ? (
          <>
            filters <FiltersJoined pointer={own.pointer} at={at} />
          </>
        ) : bypass ? (
          "bypassed"
        ) : (
          ""
        )
      }
      actions={<PartActions place={place} bypass={bypass} siblings={layer.filters.length} />}
    >
      {several && at === 0 && <PartStrips place={own} only={["blend"]} />}
      <FilterPicture layer={layer} filter={layer.filters[at]?.id ?? ""} />
      <PartStrips place={place} />
    </Section>
  );
}

/** Groups of a layer's parameters that stand in other sections; what is new stands with its notes. */
const ELSEWHERE = ["Mix", "Filters", "Pitch", "Ring modulation", "Phase modulation"];

/** The chain of one layer, from its sources to its place in the mix; `layer` is without values. */
export function LayerEditor({
  layer,
  index,
  buses,
}: {
  layer: Layer;
  index: number;
  buses: Bus[];
}) {
  const catalogue = useCatalogue();
  const parts = layerParts(layer, index);
  const own = parts[0] as PartPlace;
  const sources = parts.filter((p) => p.family === "source");
  const envelope = parts.find((p) => p.kind === "amplitude") as PartPlace;
  const filters = parts.filter((p) => p.family === "filter");
  const inserts = `/layers/${index}/inserts`;
  const effects = useEffectEntries(layer.inserts, inserts);
  const stations: Station[] = [
    ...sources.map((place, number) => ({
      id: place.path,
      title: place.title,
      place,
      slot: place.path,
      content: (
        <SourceEditor layer={layer} index={index} number={number} source={place} own={own} />
      ),
    })),
    ...filters.map((place, at) => ({
      id: place.path,
      title: catalogue.module("filter", place.kind).name,
      place,
      slot: place.path,
      bypassed: layer.filters[at]?.bypass,
      content: <Filter place={place} at={at} layer={layer} own={own} />,
    })),
    {
      id: "envelope",
      title: "Envelope",
      place: envelope,
      slot: envelope.path,
      content: <Envelope place={envelope} />,
    },
    ...effectStations(catalogue, layer.inserts, layer.id, inserts, layer.name),
    {
      id: "mix",
      title: "Mix",
      place: own,
      slot: layer.id,
      only: ["Mix"],
      content: (
        <>
          <Section
            title="In the mix"
            about="level, place, and how much goes where"
            actions={
              <>
                <LevelTo place={own} name={layer.name} />
                <SendActions sender={layer} pointer={`/layers/${index}`} buses={buses} />
              </>
            }
          >
            <PartStrips place={own} only={["Mix"]} />
            <Sends sender={layer} pointer={`/layers/${index}`} buses={buses} />
          </Section>
          <Section
            title="Between layers"
            about="ring and phase modulation, by a sine or another layer"
          >
            <PartStrips place={own} only={["Ring modulation", "Phase modulation"]} />
          </Section>
          <Section title="Notes" about="which notes this layer plays, and how">
            <PartStrips place={own} without={ELSEWHERE} headed />
          </Section>
        </>
      ),
    },
  ];
  return (
    <Stations
      owner={layer.id}
      stations={stations}
      adding={
        <>
          <AddSource layer={layer} index={index} />
          <AddFilter layer={layer} index={index} />
          <Menu button="Add effect" label="Add effect to this layer" entries={effects} />
          <Presets
            owner={layer.name}
            places={[
              { family: "effect", list: inserts, count: layer.inserts.length },
              {
                family: "filter",
                list: `/layers/${index}/filters`,
                count: layer.filters.length,
              },
            ]}
          />
        </>
      }
    />
  );
}
