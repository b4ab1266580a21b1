import { useMemo } from "react";
import { useShallow } from "zustand/react/shallow";
import type { Modulator } from "../api/client";
import { modulatorPart, type Target, targets } from "../document/catalogue";
import { addRoute, newSeed, removeModulator } from "../document/edits";
import type { Operation } from "../document/patch";
import { isTime, shownDepth, shownTime } from "../document/values";
import { PlayheadLine } from "../longview/PlayheadLine";
import { edit, useSession } from "../session/store";
import { useStage } from "../stage/socket";
import { PartStrips } from "../strips/PartStrips";
import { useCatalogue } from "../ui/catalogue-context";
import { EditableName } from "../ui/EditableName";
import { Menu } from "../ui/Menu";
import { addModulatorEntries } from "./adding";
import { coursePath } from "./course-path";
import { hue } from "./hues";
import { RouteEditor } from "./RouteEditor";

const WIDTH = 176;

function describe(modulator: Modulator, name: string): string {
  const period = modulator.params.period;
  const scope = modulator.scope === "note" ? ", each note" : "";
  return period !== undefined && isTime(period)
    ? `${name}, ${shownTime(period)}${scope}`
    : `${name}${scope}`;
}

function Course({ id, color }: { id: string; color: string }) {
  const course = useStage((s) => s.courses.modulators[id]);
  const path = useMemo(() => {
    if (!course) return "";
    const bipolar = course.low.some((v) => v < 0);
    return coursePath(course, WIDTH, 3, 33, (v) => (bipolar ? (v + 1) / 2 : v));
  }, [course]);
  return (
    <svg className="h-9 w-full" viewBox={`0 0 ${WIDTH} 36`} preserveAspectRatio="none" aria-hidden>
      <path
        d={path}
        fill={color}
        stroke={color}
        strokeWidth="1.2"
        vectorEffect="non-scaling-stroke"
        data-course={id}
      />
    </svg>
  );
}

function Row({ modulator, color }: { modulator: Modulator; color: string }) {
  const catalogue = useCatalogue();
  const index = useSession(
    (s) => s.sound?.modulators.findIndex((m) => m.id === modulator.id) ?? -1,
  );
  const chosen = useSession((s) => s.modulator === modulator.id);
  return (
    // biome-ignore lint/a11y/useKeyWithClickEvents: the button inside does the same by keyboard
    <li
      className={`relative flex items-center gap-2 border-b border-line px-1 py-0.5 ${chosen ? "bg-paper" : ""}`}
      onClick={() => useSession.setState({ modulator: modulator.id })}
    >
      <button
        type="button"
        className="sr-only focus:not-sr-only"
        aria-pressed={chosen}
        onClick={() => useSession.setState({ modulator: modulator.id })}
      >
        Edit {modulator.name}
      </button>
      <div className="w-[104px] shrink-0" style={{ color }}>
        <EditableName
          name={modulator.name}
          label="Modulator"
          className="max-w-full font-bold"
          onChange={(name) =>
            edit(
              "sound",
              [{ op: "replace", path: `/modulators/${index}/name`, value: name }],
              "Rename",
            )
          }
        />
        <div className="label truncate text-xs">
          {describe(modulator, catalogue.module("modulator", modulator.kind).name)}
        </div>
      </div>
      <div className="relative min-w-0 flex-1">
        <Course id={modulator.id} color={color} />
        <PlayheadLine />
      </div>
    </li>
  );
}

function TargetMenu({ from, found }: { from: string; found: Target[] }) {
  const routes = useSession((s) => s.sound?.routes) ?? [];
  const free = found.filter((t) => !routes.some((r) => r.from === from && r.to === t.address));
  return (
    <select
      className="w-[92px] cursor-pointer bg-transparent text-right text-slate"
      value=""
      aria-label="Add target"
      onChange={(event) => {
        const target = free.find((t) => t.address === event.target.value);
        const { sound } = useSession.getState();
        if (target && sound) edit("sound", addRoute(sound, from, target), `Move ${target.label}`);
      }}
    >
      <option value="">Add target</option>
      {[...new Set(free.map((t) => t.place.owner))].map((owner) => (
        <optgroup key={owner} label={owner}>
          {free
            .filter((t) => t.place.owner === owner)
            .map((t) => (
              <option key={t.address} value={t.address}>
                {t.label}
              </option>
            ))}
        </optgroup>
      ))}
    </select>
  );
}

function Chosen({ modulator, index }: { modulator: Modulator; index: number }) {
  const catalogue = useCatalogue();
  const sound = useSession((s) => s.sound);
  const routes = useSession(
    useShallow((s) => s.sound?.routes.filter((r) => r.from === modulator.id) ?? []),
  );
  const found = useMemo(() => (sound ? targets(sound, catalogue) : []), [sound, catalogue]);
  const place = modulatorPart(modulator, index);
  const set = (field: string, value: unknown, label: string) =>
    edit(
      "sound",
      [{ op: "replace", path: `/modulators/${index}/${field}`, value } as Operation],
      label,
    );
  const perNote = ["velocity", "key", "envelope"].includes(modulator.kind);
  return (
    <div className="mt-2">
      <div className="mb-1 flex items-center gap-2">
        <h3 className="label min-w-0 flex-1 truncate text-sm">{modulator.name} moves</h3>
        <TargetMenu from={modulator.id} found={found} />
      </div>
      {routes.length === 0 && (
        <p className="label mb-1">Nothing yet. Add a target, or use “move” on a strip.</p>
      )}
      {routes.map((route) => {
        const target = found.find((t) => t.address === route.to);
        if (!target) return null;
        return (
          <details key={route.id} className="border-b border-line">
            <summary className="flex cursor-pointer list-none gap-2 py-1">
              <span className="min-w-0 flex-1 truncate">
                {target.label} <span className="label">{target.place.owner}</span>
              </span>
              <b className={route.muted ? "line-through" : ""}>
                {shownDepth(route.depth, target.parameter.depth_unit, route.polarity === "bipolar")}
              </b>
            </summary>
            <RouteEditor route={route} parameter={target.parameter} title={target.label} />
          </details>
        );
      })}
      <div className="mb-1 mt-3 flex items-center gap-1">
        <h3 className="label min-w-0 flex-1 truncate text-sm">{modulator.name}</h3>
        {(modulator.kind === "random" || modulator.kind === "lfo") && (
          <button
            type="button"
            className="button-plain"
            title={`Seed ${modulator.seed}; undo brings it back`}
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
            if (sound) edit("sound", removeModulator(sound, index), `Remove ${modulator.name}`);
            const next = useSession.getState().sound?.modulators[0]?.id ?? null;
            useSession.setState({ modulator: next });
          }}
        >
          Remove
        </button>
      </div>
      {!perNote && modulator.kind !== "wheel" && (
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
      <div className="grid grid-cols-2 gap-2">
        <PartStrips place={place} />
      </div>
    </div>
  );
}

/** All modulators over the whole length, and what the chosen one moves. */
export function Movement() {
  const catalogue = useCatalogue();
  const modulators = useSession((s) => s.sound?.modulators) ?? [];
  const chosen = useSession((s) => s.modulator);
  const index = modulators.findIndex((m) => m.id === chosen);
  const modulator = modulators[index];
  return (
    <aside
      aria-label="Movement"
      className="w-[316px] shrink-0 overflow-y-auto border-l border-line p-3 pt-2"
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
        {modulators.map((m) => (
          <Row key={m.id} modulator={m} color={hue(modulators, m.id)} />
        ))}
      </ul>
      {modulator && <Chosen key={modulator.id} modulator={modulator} index={index} />}
    </aside>
  );
}
