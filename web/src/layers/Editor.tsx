import { busParts, masterParts, type PartPlace, soundPart } from "../document/catalogue";
import { useSkeleton } from "../session/hooks";
import { useSession } from "../session/store";
import { PartStrips } from "../strips/PartStrips";
import { Section } from "../ui/Section";
import { EffectChain } from "./EffectChain";
import { LayerEditor } from "./LayerEditor";
import { SendActions, Sends } from "./Sends";
import { Tuning } from "./Tuning";

function BusEditor({ index }: { index: number }) {
  const sound = useSkeleton();
  const bus = sound?.buses[index];
  if (!sound || !bus) return null;
  const pointer = `/buses/${index}`;
  return (
    <>
      <Section
        title={bus.name}
        about="what is sent here goes through these effects"
        actions={<SendActions sender={bus} pointer={pointer} buses={sound.buses} />}
      >
        <PartStrips place={busParts(bus, index)[0] as PartPlace} />
        <Sends sender={bus} pointer={pointer} buses={sound.buses} />
      </Section>
      <EffectChain
        effects={bus.effects}
        prefix={bus.id}
        pointer={`${pointer}/effects`}
        owner={bus.name}
      />
    </>
  );
}

function MasterEditor() {
  const sound = useSkeleton();
  const scale = useSession((s) => s.sound?.scale ?? null);
  if (!sound) return null;
  return (
    <>
      <Section title="Master" about="the last stop before the ceiling">
        <PartStrips place={masterParts(sound)[0] as PartPlace} />
      </Section>
      <Section title="Voices and pace" about="what holds for the whole sound">
        <PartStrips place={soundPart(sound.name)} />
      </Section>
      <Tuning scale={scale} />
      <EffectChain
        effects={sound.master.effects}
        prefix="master"
        pointer="/master/effects"
        owner="Master"
      />
    </>
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
