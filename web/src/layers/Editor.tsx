import { busParts, masterParts, type PartPlace, soundPart } from "../document/catalogue";
import { useSkeleton } from "../session/hooks";
import { useSession } from "../session/store";
import { PartStrips } from "../strips/PartStrips";
import { useCatalogue } from "../ui/catalogue-context";
import { Menu } from "../ui/Menu";
import { Section } from "../ui/Section";
import { effectStations, useEffectEntries } from "./EffectChain";
import { LayerEditor } from "./LayerEditor";
import { LevelTo } from "./LevelTo";
import { Presets } from "./Presets";
import { SendActions, Sends } from "./Sends";
import { type Station, Stations } from "./Stations";
import { Tuning } from "./Tuning";

function BusEditor({ index }: { index: number }) {
  const catalogue = useCatalogue();
  const sound = useSkeleton();
  const bus = sound?.buses[index];
  const effects = useEffectEntries(bus?.effects ?? [], `/buses/${index}/effects`);
  if (!sound || !bus) return null;
  const pointer = `/buses/${index}`;
  const own = busParts(bus, index)[0] as PartPlace;
  const stations: Station[] = [
    ...effectStations(catalogue, bus.effects, bus.id, `${pointer}/effects`, bus.name),
    {
      id: "return",
      title: "Return",
      place: own,
      slot: bus.id,
      content: (
        <Section
          title={bus.name}
          about="what is sent here goes through these effects"
          actions={<SendActions sender={bus} pointer={pointer} buses={sound.buses} />}
        >
          <PartStrips place={own} />
          <Sends sender={bus} pointer={pointer} buses={sound.buses} />
        </Section>
      ),
    },
  ];
  return (
    <Stations
      owner={bus.id}
      stations={stations}
      adding={
        <>
          <Menu button="Add effect" label={`Add effect to ${bus.name}`} entries={effects} />
          <Presets
            owner={bus.name}
            places={[{ family: "effect", list: `${pointer}/effects`, count: bus.effects.length }]}
          />
        </>
      }
    />
  );
}

function MasterEditor() {
  const catalogue = useCatalogue();
  const sound = useSkeleton();
  const scale = useSession((s) => s.sound?.scale ?? null);
  const effects = useEffectEntries(sound?.master.effects ?? [], "/master/effects");
  if (!sound) return null;
  const own = masterParts(sound)[0] as PartPlace;
  const whole = soundPart(sound.name);
  const stations: Station[] = [
    {
      id: "sound",
      title: "Voices and pace",
      place: whole,
      slot: "",
      content: (
        <>
          <Section title="Voices and pace" about="what holds for the whole sound">
            <PartStrips place={whole} />
          </Section>
          <Tuning scale={scale} />
        </>
      ),
    },
    ...effectStations(catalogue, sound.master.effects, "master", "/master/effects", "Master"),
    {
      id: "output",
      title: "Level and ceiling",
      place: own,
      slot: "output",
      content: (
        <Section
          title="Master"
          about="the last stop before the ceiling"
          actions={<LevelTo place={own} name="The whole" />}
        >
          <PartStrips place={own} />
        </Section>
      ),
    },
  ];
  return (
    <Stations
      owner="master"
      stations={stations}
      adding={
        <>
          <Menu button="Add effect" label="Add effect to Master" entries={effects} />
          <Presets
            owner="Master"
            places={[
              { family: "effect", list: "/master/effects", count: sound.master.effects.length },
            ]}
          />
        </>
      }
    />
  );
}

/** The strips of what is selected: a layer, a bus, or the master with the sound's own values. */
export function Editor() {
  const sound = useSkeleton();
  const selection = useSession((s) => s.selection);
  if (!sound) return null;
  let content = null;
  if (selection.kind === "layer") {
    const index = sound.layers.findIndex((layer) => layer.id === selection.id);
    const layer = sound.layers[index];
    if (layer) {
      content = <LayerEditor key={layer.id} layer={layer} index={index} buses={sound.buses} />;
    }
  } else if (selection.kind === "bus") {
    const index = sound.buses.findIndex((bus) => bus.id === selection.id);
    content = <BusEditor key={selection.id} index={index} />;
  } else content = <MasterEditor />;
  return <main className="min-w-0 flex-1 px-3 py-2 lg:overflow-y-auto">{content}</main>;
}
