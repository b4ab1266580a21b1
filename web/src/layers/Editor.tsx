import type { Layer } from "../api/client";
import { busParts, layerParts, masterParts, type PartPlace } from "../document/catalogue";
import { addModule, addSend, removePart } from "../document/edits";
import { edit, useSession } from "../session/store";
import { envelopeShape } from "../strips/envelope-shape";
import { PartStrips } from "../strips/PartStrips";
import { Section } from "../strips/Section";
import { useCatalogue } from "../ui/catalogue-context";
import { Menu } from "../ui/Menu";
import { change } from "./change";
import { SourceEditor } from "./SourceEditor";
import { Tuning } from "./Tuning";

const RANGES = [
  "key_low",
  "key_high",
  "key_fade",
  "velocity_low",
  "velocity_high",
  "velocity_fade",
];

const BETWEEN = [
  "ring_by",
  "ring_layer",
  "ring_ratio",
  "ring_amount",
  "phase_by",
  "phase_layer",
  "phase_ratio",
  "phase_depth",
];

/** What can be done with one filter, effect or send: bypass, order, removal. */
function PartActions({
  place,
  bypass,
  siblings,
}: {
  place: PartPlace;
  bypass?: boolean;
  siblings?: number;
}) {
  const index = Number(place.pointer.slice(place.pointer.lastIndexOf("/") + 1));
  const list = place.pointer.slice(0, place.pointer.lastIndexOf("/"));
  const entries = [];
  if (bypass !== undefined) {
    entries.push({
      name: bypass ? "Switch on" : "Bypass",
      act: () =>
        change("Bypass", () => [
          { op: "replace", path: `${place.pointer}/bypass`, value: !bypass },
        ]),
    });
  }
  if (siblings !== undefined && siblings > 1) {
    const move = (by: number) =>
      change("Reorder", (sound) => {
        const items = list
          .split("/")
          .slice(1)
          .reduce<unknown>(
            (node, step) => (node as Record<string, unknown>)[step],
            sound,
          ) as unknown[];
        return [
          { op: "remove", path: place.pointer },
          { op: "add", path: `${list}/${index + by}`, value: items[index] },
        ];
      });
    entries.push({ name: "Earlier", disabled: index === 0, act: () => move(-1) });
    entries.push({ name: "Later", disabled: index === siblings - 1, act: () => move(1) });
  }
  entries.push({
    name: "Remove",
    act: () => change("Remove", (s) => removePart(s, place.path, place.pointer)),
  });
  return <Menu button="⋯" label="More" entries={entries} />;
}

function EnvelopePicture({ place }: { place: PartPlace }) {
  const note = useSession((s) => s.score?.notes[0]?.length ?? 60);
  const bpm = useSession((s) => s.score?.tempo[0]?.bpm ?? 120);
  const { points, total } = envelopeShape(place.params, note, bpm);
  const line = points.map(
    ([t, level]) => `${((t / total) * 176).toFixed(1)} ${(48 - level * 26).toFixed(1)}`,
  );
  return (
    <div
      className="relative h-[50px] border border-line bg-paper"
      role="img"
      aria-label="The envelope over the first held note"
    >
      <span className="absolute left-[6px] top-[3px] text-slate">Over the held note</span>
      <svg className="h-full w-full" viewBox="0 0 176 50" preserveAspectRatio="none" aria-hidden>
        <path d={`M0 48L${line.join("L")}L176 48Z`} fill="#dbe3e6" />
        <path
          d={`M${line.join("L")}`}
          fill="none"
          stroke="#10222b"
          vectorEffect="non-scaling-stroke"
        />
      </svg>
    </div>
  );
}

function fullLevelAt(place: PartPlace, note: number, bpm: number): string {
  const { full } = envelopeShape(place.params, note, bpm);
  return full <= note
    ? `reaches full level at ${Math.round((full / note) * 100)} % of the held note`
    : "never reaches full level while the note is held";
}

function LayerEditor({ layer, index }: { layer: Layer; index: number }) {
  const catalogue = useCatalogue();
  const buses = useSession((s) => s.sound?.buses) ?? [];
  const note = useSession((s) => s.score?.notes[0]?.length ?? 60);
  const bpm = useSession((s) => s.score?.tempo[0]?.bpm ?? 120);
  const parts = layerParts(layer, index);
  const at = (family: string) => parts.filter((part) => part.family === family);
  const own = parts[0] as PartPlace;
  const source = at("source")[0] as PartPlace;
  const envelope = parts.find((p) => p.kind === "amplitude") as PartPlace;
  const sends = parts.filter((p) => p.kind === "send");
  const unsent = buses.filter((bus) => !layer.sends.some((send) => send.bus === bus.id));
  return (
    <>
      <SourceEditor layer={layer} index={index} source={source} own={own} />
      <Section
        title="Filters"
        about={
          layer.filters.length === 2 ? (
            <FiltersJoined layer={layer} index={index} />
          ) : layer.filters.length === 0 ? (
            "none; the source is heard as it is"
          ) : (
            ""
          )
        }
        actions={
          <Menu
            button="Add"
            label="Add a filter"
            entries={catalogue.family("filter").map((filter) => ({
              name: filter.name,
              help: filter.help,
              disabled: layer.filters.length >= 2,
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
        {layer.filters.length === 2 && layer.params.arrangement === "parallel" && (
          <PartStrips place={own} only={["blend"]} />
        )}
      </Section>
      {at("filter").map((place, i) => (
        <Section
          key={place.path}
          title={`${i + 1} ${catalogue.module("filter", place.kind).name}`}
          about={layer.filters[i]?.bypass ? "bypassed" : ""}
          actions={
            <PartActions
              place={place}
              bypass={layer.filters[i]?.bypass ?? false}
              siblings={layer.filters.length}
            />
          }
        >
          <PartStrips place={place} />
        </Section>
      ))}
      <Section title="Amplitude envelope" about={fullLevelAt(envelope, note, bpm)}>
        <EnvelopePicture place={envelope} />
        <PartStrips place={envelope} />
      </Section>
      {at("effect").map((place, i) => (
        <Section
          key={place.path}
          title={catalogue.module("effect", place.kind).name}
          about={layer.inserts[i]?.bypass ? "on this layer, bypassed" : "on this layer alone"}
          actions={
            <PartActions
              place={place}
              bypass={layer.inserts[i]?.bypass ?? false}
              siblings={layer.inserts.length}
            />
          }
        >
          <PartStrips place={place} />
        </Section>
      ))}
      <Section
        title="In the mix"
        about="level, place, and how much goes where"
        actions={
          <>
            <Menu
              button="Add effect"
              label="Add an effect to this layer"
              entries={catalogue.family("effect").map((effect) => ({
                name: effect.name,
                help: effect.help,
                disabled: layer.inserts.length >= 8,
                act: () =>
                  change("Add effect", () =>
                    addModule(
                      catalogue,
                      "effect",
                      effect.kind,
                      `/layers/${index}/inserts`,
                      layer.inserts,
                    ),
                  ),
              }))}
            />
            {sends.length > 0 && (
              <Menu
                button="Remove send"
                label="Remove a send"
                entries={sends.map((place, i) => ({
                  name: buses.find((b) => b.id === layer.sends[i]?.bus)?.name ?? "Send",
                  act: () => change("Remove send", (s) => removePart(s, place.path, place.pointer)),
                }))}
              />
            )}
            {unsent.length > 0 && (
              <Menu
                button="Add send"
                label="Send this layer to a bus"
                entries={unsent.map((bus) => ({
                  name: bus.name,
                  act: () => change("Add send", () => addSend(catalogue, layer, index, bus.id)),
                }))}
              />
            )}
          </>
        }
      >
        <PartStrips place={own} only={["level", "pan"]} />
        {sends.map((place, i) => {
          const bus = buses.find((b) => b.id === layer.sends[i]?.bus);
          return (
            <PartStrips
              key={place.path}
              place={place}
              rename={() => `Send to ${bus?.name ?? "bus"}`}
            />
          );
        })}
      </Section>
      <Section title="Between layers" about="ring and phase modulation, by a sine or another layer">
        <PartStrips place={own} only={BETWEEN} />
      </Section>
      <Section title="Key and velocity range" about="which notes this layer plays">
        <PartStrips place={own} only={RANGES} />
      </Section>
    </>
  );
}

function FiltersJoined({ layer, index }: { layer: Layer; index: number }) {
  const joined = String(layer.params.arrangement);
  return (
    <select
      className="bg-transparent"
      aria-label="Filters joined"
      value={joined}
      onChange={(event) =>
        edit(
          "sound",
          [
            {
              op: "replace",
              path: `/layers/${index}/params/arrangement`,
              value: event.target.value,
            },
          ],
          "Filters joined",
        )
      }
    >
      <option value="series">in series, 1 into 2</option>
      <option value="parallel">in parallel, side by side</option>
    </select>
  );
}

function EffectsEditor({
  parts,
  effects,
  pointer,
}: {
  parts: PartPlace[];
  effects: { id: string; bypass: boolean }[];
  pointer: string;
}) {
  const catalogue = useCatalogue();
  return (
    <>
      {parts
        .filter((part) => part.family === "effect")
        .map((place, i) => (
          <Section
            key={place.path}
            title={catalogue.module("effect", place.kind).name}
            about={effects[i]?.bypass ? "bypassed" : catalogue.module("effect", place.kind).help}
            actions={
              <PartActions
                place={place}
                bypass={effects[i]?.bypass ?? false}
                siblings={effects.length}
              />
            }
          >
            <PartStrips place={place} />
          </Section>
        ))}
      <Menu
        button="Add effect"
        label="Add an effect"
        className="button"
        entries={catalogue.family("effect").map((effect) => ({
          name: effect.name,
          help: effect.help,
          disabled: effects.length >= 8,
          act: () =>
            change("Add effect", () =>
              addModule(catalogue, "effect", effect.kind, pointer, effects),
            ),
        }))}
      />
    </>
  );
}

/** The strips of what is selected: a layer, a bus, or the master with the sound's own values. */
export function Editor() {
  const sound = useSession((s) => s.sound);
  const selection = useSession((s) => s.selection);
  if (!sound) return null;
  let content = null;
  if (selection.kind === "layer") {
    const index = sound.layers.findIndex((layer) => layer.id === selection.id);
    const layer = sound.layers[index];
    if (layer) content = <LayerEditor key={layer.id} layer={layer} index={index} />;
  } else if (selection.kind === "bus") {
    const index = sound.buses.findIndex((bus) => bus.id === selection.id);
    const bus = sound.buses[index];
    if (bus) {
      const parts = busParts(bus, index);
      content = (
        <>
          <Section title={bus.name} about="what the layers send here goes through these effects">
            <PartStrips place={parts[0] as PartPlace} />
          </Section>
          <EffectsEditor parts={parts} effects={bus.effects} pointer={`/buses/${index}/effects`} />
        </>
      );
    }
  } else {
    const parts = masterParts(sound);
    const whole: PartPlace = {
      path: "sound",
      pointer: "",
      family: "part",
      kind: "sound",
      params: sound.params,
      owner: sound.name,
      title: "",
    };
    content = (
      <>
        <Section title="Master" about="the last stop before the ceiling">
          <PartStrips place={parts[0] as PartPlace} />
        </Section>
        <Section title="Voices and pace" about="what holds for the whole sound">
          <PartStrips place={whole} />
        </Section>
        <Tuning scale={sound.scale ?? null} />
        <EffectsEditor parts={parts} effects={sound.master.effects} pointer="/master/effects" />
      </>
    );
  }
  return <main className="min-w-0 flex-1 overflow-y-auto px-3 py-2">{content}</main>;
}
