import { useMemo } from "react";
import type { Modulator, Route } from "../api/client";
import { type Catalogue, modulatorPart, movableParts, targets } from "../document/catalogue";
import { addRoute, newSeed, removeModulator } from "../document/edits";
import type { Operation } from "../document/patch";
import { isTime, shownDepth, shownTime } from "../document/values";
import { PlayheadLine } from "../longview/PlayheadLine";
import { addModulatorEntries } from "../routes/adding";
import { hue } from "../routes/hues";
import { RouteEditor } from "../routes/RouteEditor";
import { trajectoryPath } from "../routes/trajectory-path";
import { change } from "../session/change";
import { useSkeleton, useValue } from "../session/hooks";
import { edit, useSession } from "../session/store";
import { useStage } from "../stage/socket";
import { PartStrips } from "../strips/PartStrips";
import { useCatalogue } from "../ui/catalogue-context";
import { EditableName } from "../ui/EditableName";
import { Menu, type MenuEntry } from "../ui/Menu";

const WIDTH = 176;

/** What kind a modulator is, how long its period is, and whether each note has its own. */
function About({ modulator, index }: { modulator: Modulator; index: number }) {
  const module = useCatalogue().module("modulator", modulator.kind);
  const period = useValue(`/modulators/${index}/params/period`);
  const time = period !== undefined && isTime(period) ? `, ${shownTime(period)}` : "";
  const scope = modulator.scope === "note" && !module.always_per_note ? ", each note" : "";
  return (
    <div className="label truncate text-xs">
      {module.name}
      {time}
      {scope}
    </div>
  );
}

function ModulatorPicture({ id, color }: { id: string; color: string }) {
  const outline = useStage((s) => s.trajectories.modulators[id]);
  const path = useMemo(() => {
    if (!outline) return "";
    const bipolar = outline.low.some((v) => v < 0);
    return trajectoryPath(outline, WIDTH, 3, 33, (v) => (bipolar ? (v + 1) / 2 : v));
  }, [outline]);
  return (
    <svg className="h-9 w-full" viewBox={`0 0 ${WIDTH} 36`} preserveAspectRatio="none" aria-hidden>
      <path
        d={path}
        fill={color}
        stroke={color}
        strokeWidth="1.2"
        vectorEffect="non-scaling-stroke"
        data-modulator={id}
      />
    </svg>
  );
}

function Row({ modulator, index, color }: { modulator: Modulator; index: number; color: string }) {
  const chosen = useSession((s) => s.modulator === modulator.id);
  return (
    <li
      className={`relative flex items-center gap-2 border-b border-line px-1 py-0.5 ${chosen ? "bg-paper" : ""}`}
    >
      <div className="w-[104px] shrink-0" style={{ color }}>
        <EditableName
          name={modulator.name}
          label="Modulator"
          className="max-w-full font-bold"
          chosen={chosen}
          onChoose={() => useSession.setState({ modulator: modulator.id })}
          onChange={(name) =>
            edit(
              "sound",
              [{ op: "replace", path: `/modulators/${index}/name`, value: name }],
              "Rename",
            )
          }
        />
        <About modulator={modulator} index={index} />
      </div>
      <div className="relative min-w-0 flex-1">
        <ModulatorPicture id={modulator.id} color={color} />
        <PlayheadLine />
      </div>
    </li>
  );
}

/** What a modulator may move and does not move yet; worked out when the menu is opened. */
function targetEntries(from: string, catalogue: Catalogue): MenuEntry[] {
  const { sound } = useSession.getState();
  if (!sound) return [];
  const taken = new Set(sound.routes.filter((r) => r.from === from).map((r) => r.to));
  return targets(sound, catalogue)
    .filter((t) => !taken.has(t.address) && t.place.path !== from)
    .map((target) => ({
      name: target.label,
      group: target.place.owner,
      act: () => {
        const { sound: now } = useSession.getState();
        if (now) edit("sound", addRoute(now, from, target), `Move ${target.label}`);
      },
    }));
}

/** One route of the chosen modulator: what it moves, how far, and all about it. */
function RouteRow({ route }: { route: Route }) {
  const catalogue = useCatalogue();
  const sound = useSkeleton();
  const depth = useSession((s) => s.sound?.routes.find((r) => r.id === route.id)?.depth ?? 0);
  const part = sound
    ? movableParts(sound).find(
        (p) =>
          route.to.startsWith(`${p.path}.`) && !route.to.slice(p.path.length + 1).includes("."),
      )
    : null;
  const module = part && catalogue.module(part.family, part.kind);
  const parameter = module?.parameters.find((p) => `${part?.path}.${p.key}` === route.to);
  if (!part || !parameter) return null;
  const label =
    part.title && part.title !== "Source"
      ? `${part.title} ${parameter.name.toLowerCase()}`
      : parameter.name;
  return (
    <details className="border-b border-line">
      <summary className="flex cursor-pointer list-none gap-2 py-1">
        <span className="min-w-0 flex-1 truncate">
          {label} <span className="label">{part.owner}</span>
        </span>
        <b className={route.muted ? "line-through" : ""}>
          {shownDepth(depth, parameter.depth_unit, route.polarity === "bipolar")}
        </b>
      </summary>
      <RouteEditor id={route.id} parameter={parameter} title={label} />
    </details>
  );
}

function Chosen({ modulator, index }: { modulator: Modulator; index: number }) {
  const catalogue = useCatalogue();
  const sound = useSkeleton();
  const seed = useSession((s) => s.sound?.modulators[index]?.seed);
  const module = catalogue.module("modulator", modulator.kind);
  const routes = sound?.routes.filter((r) => r.from === modulator.id) ?? [];
  const set = (field: string, value: unknown, label: string) =>
    edit(
      "sound",
      [{ op: "replace", path: `/modulators/${index}/${field}`, value } as Operation],
      label,
    );
  return (
    <div className="mt-2">
      <div className="mb-1 flex items-center gap-2">
        <h3 className="label min-w-0 flex-1 truncate text-sm">{modulator.name} moves</h3>
        <Menu
          button="Add target"
          label="Add target"
          entries={() => targetEntries(modulator.id, catalogue)}
        />
      </div>
      {routes.length === 0 && (
        <p className="label mb-1">Nothing yet. Add a target, or use “move” on a strip.</p>
      )}
      {routes.map((route) => (
        <RouteRow key={route.id} route={route} />
      ))}
      <div className="mb-1 mt-3 flex items-center gap-1">
        <h3 className="label min-w-0 flex-1 truncate text-sm">{modulator.name}</h3>
        {module.seeded && (
          <button
            type="button"
            className="button-plain"
            title={`Seed ${seed}; undo brings it back`}
            onClick={() => set("seed", newSeed(), "Reseed")}
          >
            Reseed
          </button>
        )}
        <button
          type="button"
          className="button-plain"
          aria-label={`Remove ${modulator.name}`}
          onClick={() => {
            change(`Remove ${modulator.name}`, (now) => removeModulator(now, index));
            const next = useSession.getState().sound?.modulators[0]?.id ?? null;
            useSession.setState({ modulator: next });
          }}
        >
          Remove
        </button>
      </div>
      {!module.always_per_note && (
        <select
          className="mb-1 bg-transparent text-slate"
          aria-label="Scope"
          value={modulator.scope}
          onChange={(event) => set("scope", event.target.value, "Scope")}
        >
          <option value="sound">free, one for all</option>
          <option value="note">own for each note</option>
        </select>
      )}
      <div className="grid grid-cols-[repeat(auto-fill,minmax(120px,1fr))] gap-2">
        <PartStrips place={modulatorPart(modulator, index)} />
      </div>
    </div>
  );
}

/** All modulators over the whole length, and what the chosen one moves. */
export function Movement() {
  const catalogue = useCatalogue();
  const modulators = useSkeleton()?.modulators ?? [];
  const chosen = useSession((s) => s.modulator);
  const index = modulators.findIndex((m) => m.id === chosen);
  const modulator = modulators[index];
  return (
    <aside
      aria-label="Movement"
      className="shrink-0 border-line p-3 pt-2 max-lg:border-t lg:w-[290px] lg:overflow-y-auto lg:border-l xl:w-[316px] 2xl:w-[460px]"
    >
      <div className="mb-1 flex items-center justify-between">
        <h2 className="label text-sm">Movement</h2>
        <Menu
          button="Add modulator"
          label="Add modulator"
          entries={addModulatorEntries(catalogue)}
        />
      </div>
      {modulators.length === 0 && (
        <p className="label">Nothing moves yet: this sound stands still. Add a modulator.</p>
      )}
      <ul>
        {modulators.map((m, i) => (
          <Row key={m.id} modulator={m} index={i} color={hue(modulators, m.id)} />
        ))}
      </ul>
      {modulator && <Chosen key={modulator.id} modulator={modulator} index={index} />}
    </aside>
  );
}
