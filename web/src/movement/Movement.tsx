import { useMemo } from "react";
import type { Modulator } from "../api/client";
import { type Catalogue, isHandle } from "../document/catalogue";
import { newSeed } from "../document/edits";
import { movedBy, reseedAll } from "../document/seeds";
import { isTime, shownTime } from "../document/values";
import { useLive } from "../live/socket";
import { PlayheadLine } from "../longview/PlayheadLine";
import { addModulatorEntries } from "../routes/adding";
import { dragModulator } from "../routes/dropping";
import { hue } from "../routes/hues";
import { trajectoryPath } from "../routes/trajectory-path";
import { change } from "../session/change";
import { useSkeleton, useValue } from "../session/hooks";
import { edit, useSession } from "../session/store";
import { useView } from "../sheet/view";
import { useCatalogue } from "../ui/catalogue-context";
import { EditableName } from "../ui/EditableName";
import { Menu, type MenuEntry } from "../ui/Menu";
import { ChosenModulator } from "./ChosenModulator";
import { Macros } from "./Macros";
import { RoutesTable } from "./RoutesTable";
import { Spread } from "./Spread";

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
  const outline = useLive((s) => s.trajectories.modulators[id]);
  const bipolar = useLive((s) => s.trajectories.twoSided.includes(id));
  const path = useMemo(() => {
    if (!outline) return "";
    return trajectoryPath(outline, WIDTH, 3, 33, (v) => (bipolar ? (v + 1) / 2 : v));
  }, [outline, bipolar]);
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
  const moves = useView((s) => s.movers.includes(modulator.id));
  const quick = useLive((s) => s.quick[modulator.id]);
  return (
    <li
      className={`relative flex items-center gap-2 border-b border-line px-1 py-0.5 ${
        chosen ? "bg-paper" : moves ? "bg-mist" : ""
      }`}
      onPointerEnter={() => useView.setState({ modulator: modulator.id })}
      onPointerLeave={() => useView.setState({ modulator: null })}
      onFocus={() => useView.setState({ modulator: modulator.id })}
      onBlur={() => useView.setState({ modulator: null })}
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
      <div
        className="relative min-w-0 flex-1 cursor-grab"
        role="img"
        aria-label={`What ${modulator.name} does over the length`}
        title="Drag it onto a strip or a row to move that"
        draggable
        onDragStart={(event) => dragModulator(event, modulator.id)}
      >
        <ModulatorPicture id={modulator.id} color={color} />
        <PlayheadLine />
        {quick && (
          <span className="absolute inset-x-0 bottom-0 bg-fog/85 text-[10px] leading-tight text-warn">
            {quick}
          </span>
        )}
      </div>
    </li>
  );
}

/** Another seed for each modulator that chance has a part in; locked ones keep theirs. */
function reseedEntries(catalogue: Catalogue): MenuEntry[] {
  const { sound } = useSession.getState();
  if (!sound) return [];
  const seeded = (modulator: Modulator) => catalogue.module("modulator", modulator.kind).seeded;
  const entry = (name: string, chosen: (modulator: Modulator) => boolean): MenuEntry => ({
    name,
    act: () =>
      change(name, (now) =>
        reseedAll(now, (m) => seeded(m) && chosen(m), newSeed, catalogue.limits.rolls),
      ),
  });
  const groups = [...movedBy(sound)].filter(([, ids]) =>
    sound.modulators.some((m) => ids.has(m.id) && seeded(m)),
  );
  return [
    { ...entry("Reseed all", () => true), help: "Locked ones keep their seeds" },
    ...groups.map(([owner, ids]) => entry(`Reseed what moves ${owner}`, (m) => ids.has(m.id))),
  ];
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
      <Macros />
      <div className="mb-1 flex flex-wrap items-center gap-0.5">
        <h2 className="label flex-1 text-sm">Movement</h2>
        <Spread />
        <RoutesTable />
        <Menu button="Reseed" label="Reseed several" entries={() => reseedEntries(catalogue)} />
        <Menu button="Add" label="Add modulator" entries={addModulatorEntries(catalogue)} />
      </div>
      {modulators.length === 0 && (
        <p className="label">Nothing moves yet: this sound stands still. Add a modulator.</p>
      )}
      <ul>
        {modulators.map((m, i) =>
          isHandle(catalogue, m) ? null : (
            <Row key={m.id} modulator={m} index={i} color={hue(modulators, m.id)} />
          ),
        )}
      </ul>
      {modulator && <ChosenModulator key={modulator.id} modulator={modulator} index={index} />}
    </aside>
  );
}
