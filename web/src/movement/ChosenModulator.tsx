import { useState } from "react";
import type { Modulator, Route } from "../api/client";
import { type Catalogue, modulatorPart, movableParts, targets } from "../document/catalogue";
import { removeModulator } from "../document/edits";
import type { Operation } from "../document/patch";
import { muteModulator, soloRoutes } from "../document/routing";
import { shownDepth } from "../document/values";
import { moveBy } from "../routes/dropping";
import { hue } from "../routes/hues";
import { RouteEditor } from "../routes/RouteEditor";
import { change } from "../session/change";
import { useSkeleton } from "../session/hooks";
import { edit, useSession } from "../session/store";
import { PartStrips } from "../strips/PartStrips";
import { useCatalogue } from "../ui/catalogue-context";
import { Menu, type MenuEntry } from "../ui/Menu";
import { CurveEditor } from "./CurveEditor";
import { Seeds } from "./Seeds";
import { StepsEditor } from "./StepsEditor";

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
      act: () => moveBy(from, target, catalogue),
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
    <details className="group border-b border-line">
      <summary className="flex cursor-pointer list-none gap-2 py-1">
        <span className="min-w-0 flex-1 truncate">
          {label} <span className="label">{part.owner}</span>
        </span>
        {/* An open editor says it; a second text that changes as it is dragged costs frames. */}
        <b className={`group-open:hidden ${route.muted ? "line-through" : ""}`}>
          {shownDepth(depth, parameter.depth_unit, route.polarity === "bipolar")}
        </b>
      </summary>
      <RouteEditor id={route.id} parameter={parameter} title={label} />
    </details>
  );
}

/** Values that a picture shows and edits, so that no list of numbers has to. */
const DRAWN: Record<string, readonly string[]> = {
  steps: ["values", "bends", "chances", "ties"],
  points: ["at", "values", "bends"],
};
const NOTHING: readonly string[] = [];

/** What a macro is for, in a line of its owner's own. */
function About({ index, about }: { index: number; about: string }) {
  const [text, setText] = useState(about);
  const keep = () => {
    if (text !== about) {
      edit("sound", [{ op: "replace", path: `/modulators/${index}/about`, value: text }], "About");
    }
  };
  return (
    <input
      className="field mb-2 w-full"
      aria-label="What it is for"
      placeholder="What it is for"
      maxLength={400}
      value={text}
      onChange={(event) => setText(event.target.value)}
      onBlur={keep}
      onKeyDown={(event) => event.key === "Enter" && keep()}
    />
  );
}

/** The chosen modulator: what it moves, its shape, its rolls and its numbers. */
export function ChosenModulator({ modulator, index }: { modulator: Modulator; index: number }) {
  const catalogue = useCatalogue();
  const sound = useSkeleton();
  const color = hue(sound?.modulators ?? [], modulator.id);
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
        {routes.length > 0 && (
          <>
            <button
              type="button"
              className="button-plain"
              aria-pressed={routes.every((route) => route.muted)}
              onClick={() => change("Mute", (now) => muteModulator(now, modulator.id))}
            >
              {routes.every((route) => route.muted) ? "Let it move" : "Mute"}
            </button>
            <button
              type="button"
              className="button-plain"
              title="All other routes silent; once more, and all act again"
              onClick={() =>
                change("Solo", (now) =>
                  soloRoutes(
                    now,
                    routes.map((route) => route.id),
                  ),
                )
              }
            >
              Solo
            </button>
          </>
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
          <option value="sound">one for all</option>
          <option value="note">per note</option>
        </select>
      )}
      {module.editor === "handle" && <About index={index} about={modulator.about} />}
      {module.editor === "steps" && <StepsEditor index={index} color={color} />}
      {module.editor === "points" && <CurveEditor index={index} color={color} />}
      {module.seeded && <Seeds modulator={modulator} index={index} color={color} />}
      <div className="grid grid-cols-[repeat(auto-fill,minmax(120px,1fr))] gap-2">
        <PartStrips
          place={modulatorPart(modulator, index)}
          without={DRAWN[module.editor] ?? NOTHING}
        />
      </div>
    </div>
  );
}
