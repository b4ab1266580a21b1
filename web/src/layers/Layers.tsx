import type { ReactNode } from "react";
import type { Layer } from "../api/client";
import {
  addBus,
  addLayer,
  duplicateLayer,
  moveLayer,
  removeBus,
  removeLayer,
} from "../document/edits";
import type { Operation } from "../document/patch";
import { useLive } from "../live/socket";
import { useFirstRecording, useMaterial } from "../material/library";
import { useSkeleton } from "../session/hooks";
import { edit, type Selection, useSession } from "../session/store";
import { useCatalogue } from "../ui/catalogue-context";
import { EditableName } from "../ui/EditableName";
import { Menu } from "../ui/Menu";

function select(selection: Selection) {
  useSession.setState({ selection });
}

/** The level of a layer over the whole length, as the last full drawing found it. */
function Silhouette({ id }: { id: string }) {
  const levels = useLive((s) => s.summary?.slots[id]);
  if (!levels) return <div className="h-[18px]" />;
  const top = levels
    .map(
      (level, i) =>
        `${i} ${(20 - 19 * Math.min(1, Math.max(0, ((level ?? -90) + 60) / 50))).toFixed(1)}`,
    )
    .join("L");
  return (
    <svg
      className="block h-[18px] w-full"
      preserveAspectRatio="none"
      aria-hidden
      viewBox={`0 0 ${levels.length - 1} 20`}
    >
      <path d={`M0 20L${top}L${levels.length - 1} 20Z`} fill="var(--color-level)" />
    </svg>
  );
}

/** The frame of a layer, a bus or the master; its name is the button that selects it. */
function Card({ chosen, children }: { chosen: boolean; children: ReactNode }) {
  return (
    <li
      className={`relative mb-1.5 border border-l-[5px] bg-paper px-2 py-1 ${
        chosen ? "border-ink" : "border-line border-l-edge"
      }`}
    >
      {children}
    </li>
  );
}

/** A few words about a layer's first source, and how many sources there are. */
function About({ layer, index }: { layer: Layer; index: number }) {
  const catalogue = useCatalogue();
  const material = useMaterial();
  const facts = useSession((s) => {
    const source = s.sound?.layers[index]?.source;
    const recording = source?.params.recording ?? source?.items[0]?.params.recording ?? "";
    const more = s.sound?.layers[index]?.more_sources?.length ?? 0;
    return [source?.params.unison ?? 1, source?.params.table ?? "", recording, more].join("|");
  });
  const [unison = "1", table = "", used = "", more = "0"] = facts.split("|");
  const recording = material.data?.find((m) => m.card.key === used)?.card.name.toLowerCase();
  const plain = table === "cut" ? "cut table" : table.replaceAll("_", " ");
  const kind = catalogue.module("source", layer.source.kind).name.toLowerCase();
  return (
    <span className="label min-w-0 flex-1 truncate text-xs">
      {Number(more) > 0 ? `${Number(more) + 1} sources, ` : ""}
      {recording || plain || kind}
      {Number(unison) > 1 ? `, unison ${unison}` : ""}
    </span>
  );
}

function Toggle({
  on,
  name,
  label,
  onChange,
}: {
  on: boolean;
  name: string;
  label: string;
  onChange: () => void;
}) {
  return (
    <button
      type="button"
      aria-pressed={on}
      aria-label={label}
      className={`rounded-sm px-1 text-xs ${on ? "bg-ink text-paper" : "text-slate hover:text-ink"}`}
      onClick={(event) => {
        event.stopPropagation();
        onChange();
      }}
    >
      {name}
    </button>
  );
}

function LayerCard({ layer, index, count }: { layer: Layer; index: number; count: number }) {
  const catalogue = useCatalogue();
  const chosen = useSession((s) => s.selection.kind === "layer" && s.selection.id === layer.id);
  const act = (
    label: string,
    make: (sound: NonNullable<ReturnType<typeof useSession.getState>["sound"]>) => Operation[],
  ) => {
    const { sound } = useSession.getState();
    if (sound) edit("sound", make(sound), label);
  };
  const flip = (field: "mute" | "solo") =>
    edit(
      "sound",
      [{ op: "replace", path: `/layers/${index}/${field}`, value: !layer[field] }],
      `${field} ${layer.name}`,
    );
  return (
    <Card chosen={chosen}>
      <div className="flex items-center gap-1">
        <EditableName
          name={layer.name}
          label="Layer"
          chosen={chosen}
          onChoose={() => select({ kind: "layer", id: layer.id })}
          className="min-w-0 flex-1 text-[0.95rem] font-bold"
          onChange={(name) =>
            edit(
              "sound",
              [{ op: "replace", path: `/layers/${index}/name`, value: name }],
              "Rename layer",
            )
          }
        />
        <Menu
          button="⋯"
          label={`More for ${layer.name}`}
          entries={[
            {
              name: "Duplicate",
              disabled: count >= catalogue.limits.layers,
              act: () => act("Duplicate layer", (s) => duplicateLayer(s, index)),
            },
            {
              name: "Move up",
              disabled: index === 0,
              act: () => act("Move layer", (s) => moveLayer(s, index, -1)),
            },
            {
              name: "Move down",
              disabled: index === count - 1,
              act: () => act("Move layer", (s) => moveLayer(s, index, 1)),
            },
            {
              name: "Remove",
              disabled: count === 1,
              act: () => {
                act("Remove layer", (s) => removeLayer(s, index));
                const next = useSession.getState().sound?.layers[0];
                if (next && chosen) select({ kind: "layer", id: next.id });
              },
            },
          ]}
        />
      </div>
      <div className="flex items-center gap-0.5">
        <About layer={layer} index={index} />
        <Toggle
          on={layer.solo}
          name="solo"
          label={`Solo ${layer.name}`}
          onChange={() => flip("solo")}
        />
        <Toggle
          on={layer.mute}
          name="mute"
          label={`Mute ${layer.name}`}
          onChange={() => flip("mute")}
        />
      </div>
      <Silhouette id={layer.id} />
    </Card>
  );
}

export function Layers() {
  const catalogue = useCatalogue();
  const sound = useSkeleton();
  const layers = sound?.layers ?? [];
  const buses = sound?.buses ?? [];
  const ceiling = useSession((s) => s.sound?.master.params.ceiling);
  const selection = useSession((s) => s.selection);
  const sources = catalogue.family("source");
  const first = useFirstRecording();
  const add = (kind: string) => {
    const { sound } = useSession.getState();
    if (!sound) return;
    edit("sound", addLayer(sound, catalogue, kind, first), "Add layer");
    const fresh = useSession.getState().sound?.layers.at(-1);
    if (fresh) select({ kind: "layer", id: fresh.id });
  };
  return (
    <aside
      aria-label="Layers and buses"
      className="shrink-0 border-line p-3 pt-2 max-lg:border-b lg:w-[206px] lg:overflow-y-auto lg:border-r 2xl:w-[250px]"
    >
      <div className="mb-1 flex items-center justify-between">
        <h2 className="label text-sm">Layers</h2>
        <Menu
          button="Add"
          label="Add a layer"
          entries={sources.map((source) => ({
            name: source.name,
            help: source.help,
            group: source.category,
            disabled: layers.length >= catalogue.limits.layers,
            act: () => add(source.kind),
          }))}
        />
      </div>
      <ul>
        {layers.map((layer, i) => (
          <LayerCard key={layer.id} layer={layer} index={i} count={layers.length} />
        ))}
      </ul>
      <div className="mb-1 mt-2 flex items-center justify-between">
        <h2 className="label text-sm">Buses</h2>
        <button
          type="button"
          className="button-plain"
          disabled={buses.length >= catalogue.limits.buses}
          onClick={() => {
            const { sound } = useSession.getState();
            if (!sound) return;
            edit("sound", addBus(sound, catalogue), "Add bus");
            const fresh = useSession.getState().sound?.buses.at(-1);
            if (fresh) select({ kind: "bus", id: fresh.id });
          }}
        >
          Add
        </button>
      </div>
      <ul>
        {buses.map((bus, i) => (
          <Card key={bus.id} chosen={selection.kind === "bus" && selection.id === bus.id}>
            <div className="flex items-center">
              <EditableName
                name={bus.name}
                label="Bus"
                chosen={selection.kind === "bus" && selection.id === bus.id}
                onChoose={() => select({ kind: "bus", id: bus.id })}
                className="min-w-0 flex-1 text-[0.95rem] font-bold"
                onChange={(name) =>
                  edit(
                    "sound",
                    [{ op: "replace", path: `/buses/${i}/name`, value: name }],
                    "Rename bus",
                  )
                }
              />
              <Menu
                button="⋯"
                label={`More for ${bus.name}`}
                entries={[
                  {
                    name: "Remove",
                    act: () => {
                      const { sound } = useSession.getState();
                      if (!sound) return;
                      select({ kind: "master" });
                      edit("sound", removeBus(sound, i), "Remove bus");
                    },
                  },
                ]}
              />
            </div>
            <div className="label truncate text-xs">
              {bus.effects.map((e) => catalogue.module("effect", e.kind).name).join(", ") ||
                "No effects"}
            </div>
          </Card>
        ))}
        <Card chosen={selection.kind === "master"}>
          <button
            type="button"
            className="block w-full rounded-sm text-left text-[0.95rem] font-bold"
            aria-pressed={selection.kind === "master"}
            onClick={() => select({ kind: "master" })}
          >
            Master
          </button>
          <div className="label text-xs">
            Ceiling {String(ceiling).replace("-", "−")} dBTP, voices, tuning
          </div>
        </Card>
      </ul>
    </aside>
  );
}
