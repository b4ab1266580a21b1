import type { Route } from "../api/client";
import type { Parameter } from "../document/catalogue";
import type { Operation } from "../document/patch";
import { inAllLayers } from "../document/routing";
import { depthStep } from "../document/values";
import { useLive } from "../live/socket";
import { notify } from "../notices/notices";
import { useSkeleton } from "../session/hooks";
import { edit, useSession } from "../session/store";
import { useCatalogue } from "../ui/catalogue-context";
import { hue } from "./hues";
import { NumberField } from "./NumberField";

/** Everything about one route: depth, direction, curve, scaling, removal. */
export function RouteEditor({
  id,
  parameter,
  title,
}: {
  id: string;
  parameter: Parameter;
  title?: string;
}) {
  const route = useSession((s) => s.sound?.routes.find((r) => r.id === id));
  const catalogue = useCatalogue();
  const skeleton = useSkeleton();
  const { modulators, layers } = skeleton ?? { modulators: [], layers: [] };
  const twoSided = useLive((s) => s.trajectories.twoSided.includes(route?.from ?? ""));
  const at = () => {
    const index = useSession.getState().sound?.routes.findIndex((r) => r.id === id) ?? -1;
    return `/routes/${index}`;
  };
  const change = (field: keyof Route, value: unknown, gesture: string | null = null) =>
    edit(
      "sound",
      [{ op: "replace", path: `${at()}/${field}`, value } as Operation],
      "Route",
      gesture,
    );
  if (!route) return null;
  const spreadOut = () => {
    const { sound } = useSession.getState();
    const operations = sound ? inAllLayers(sound, catalogue, route) : [];
    if (operations.length > 0) edit("sound", operations, "Move in all layers");
    else notify("No other layer has it, or it moves there already.");
  };
  const each = modulators.some(
    (m) =>
      (m.id === route.from || m.id === route.scaled_by) &&
      (m.scope === "note" || catalogue.module("modulator", m.kind).always_per_note),
  );
  const name = title ?? modulators.find((m) => m.id === route.from)?.name ?? route.from;
  return (
    <div className="border-b border-line py-2 last:border-0" data-route={route.to}>
      <div className="mb-1.5 flex items-center gap-2">
        <span className="h-2 w-2" style={{ background: hue(modulators, route.from) }} aria-hidden />
        <b className="flex-1 truncate">{name}</b>
        <button
          type="button"
          className="button-plain"
          aria-pressed={route.muted}
          onClick={() => change("muted", !route.muted)}
        >
          {route.muted ? "Let it move" : "Mute"}
        </button>
        {layers.length > 1 && layers.some((layer) => route.to.startsWith(`${layer.id}.`)) && (
          <button
            type="button"
            className="button-plain"
            title="Move the same in every other layer, as deep"
            onClick={spreadOut}
          >
            In all layers
          </button>
        )}
        <button
          type="button"
          className="button-plain"
          aria-label={`Remove the route by ${name}`}
          onClick={() => edit("sound", [{ op: "remove", path: at() }], "Remove route")}
        >
          Remove
        </button>
      </div>
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1.5">
        <NumberField
          label="Depth"
          value={route.depth}
          unit={parameter.depth_unit}
          limit={parameter.depth_limit}
          step={depthStep(parameter)}
          onChange={(value, gesture) => change("depth", value, gesture)}
        />
        <label className="flex items-center gap-1">
          <span className="label">Polarity</span>
          <select
            className="field py-0"
            value={route.polarity}
            onChange={(event) => change("polarity", event.target.value)}
          >
            <option value="bipolar">bipolar</option>
            <option value="unipolar">unipolar</option>
          </select>
        </label>
        <NumberField
          label="Curve"
          value={route.curve}
          unit="%"
          limit={100}
          step={5}
          onChange={(value, gesture) => change("curve", value, gesture)}
        />
        {each && parameter.moves === "shared" && (
          <label
            className="flex items-center gap-1"
            title="Each note moves by itself, but this is one for all notes: whose movement holds"
          >
            <span className="label">Notes</span>
            <select
              className="field py-0"
              value={route.rule}
              onChange={(event) => change("rule", event.target.value)}
            >
              <option value="newest">newest</option>
              <option value="loudest">loudest held</option>
              <option value="mean">mean of all held</option>
            </select>
          </label>
        )}
        <label className="flex items-center gap-1">
          <span className="label">Amount scaled by</span>
          <select
            className="field max-w-[110px] py-0"
            value={route.scaled_by ?? ""}
            onChange={(event) => change("scaled_by", event.target.value || null)}
          >
            <option value="">none</option>
            {modulators.map((m) => (
              <option key={m.id} value={m.id}>
                {m.name}
              </option>
            ))}
          </select>
        </label>
      </div>
      {twoSided === (route.polarity === "unipolar") && (
        <p className="mt-1 text-xs text-slate">
          {twoSided
            ? "Two-sided, but moving one way: in its middle it adds half the depth."
            : "One-sided, but moving both ways: at 0 it takes the whole depth away."}
        </p>
      )}
    </div>
  );
}
