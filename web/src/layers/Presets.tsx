import { useState } from "react";
import { useCatalogue } from "../ui/catalogue-context";
import { EditableName } from "../ui/EditableName";
import { Panel } from "../ui/Panel";
import { addPreset, type Preset, usePresetEdits, usePresets } from "./presets";

/** One chain: its name, what it is made of, and what can be done with it. */
function Row({ chain, full, onAdd }: { chain: Preset; full: boolean; onAdd: () => void }) {
  const catalogue = useCatalogue();
  const edits = usePresetEdits();
  const made = chain.parts.map((part) => catalogue.module(chain.family, part.kind).name);
  const movers = chain.modulators.map((modulator) => modulator.name);
  return (
    <li className="mb-2 border-b border-line pb-2">
      <div className="flex items-baseline gap-3">
        <EditableName
          name={chain.name}
          label={`Preset ${chain.name}`}
          className="min-w-0 flex-1 font-semibold"
          onChange={(name) => void edits.rename(chain, name)}
        />
        <button
          type="button"
          className="button-plain"
          disabled={full}
          aria-label={`Add ${chain.name}`}
          onClick={onAdd}
        >
          Add
        </button>
        <button
          type="button"
          className="button-plain"
          aria-label={`Delete ${chain.name}`}
          onClick={() => void edits.delete(chain)}
        >
          Delete
        </button>
      </div>
      <div className="label text-xs">
        {made.join(", ")}
        {movers.length > 0 && `; moved by ${movers.join(", ")}`}
      </div>
    </li>
  );
}

/** A list of filters or effects that presets are made of and added to. */
export interface ChainPlace {
  family: Preset["family"];
  /** The pointer to the list. */
  list: string;
  /** How many stand in it. */
  count: number;
}

/** What stands in one list, to be saved under a name, and presets for lists like it. */
function ChainsOf({ place, chains }: { place: ChainPlace; chains: Preset[] }) {
  const { family, list, count } = place;
  const { limits } = useCatalogue();
  const [name, setName] = useState("");
  const edits = usePresetEdits();
  const most = family === "filter" ? limits.filters : limits.effects;
  const save = () => {
    void edits.saveHere(name.trim(), family, list);
    setName("");
  };
  return (
    <section aria-label={`Presets of ${family}s`} className="mb-3">
      <h3 className="label mb-1">{family === "filter" ? "Filters" : "Effects"}</h3>
      <form
        className="mb-2 flex gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          if (name.trim() && count > 0) save();
        }}
      >
        <input
          className="field min-w-0 flex-1"
          aria-label={`Name for these ${family}s`}
          placeholder={count > 0 ? `A name for these ${family}s` : `No ${family}s stand here`}
          maxLength={120}
          disabled={count === 0}
          value={name}
          onChange={(event) => setName(event.target.value)}
        />
        <button type="submit" className="button" disabled={!name.trim() || count === 0}>
          Save
        </button>
      </form>
      {chains.length === 0 && <p className="label">No preset yet.</p>}
      <ul>
        {chains.map((chain) => (
          <Row
            key={chain.id}
            chain={chain}
            full={count >= most}
            onAdd={() => addPreset(chain, list, most, limits)}
          />
        ))}
      </ul>
    </section>
  );
}

/** All presets; they are asked for when the panel is opened. */
function AllPresets({ places }: { places: ChainPlace[] }) {
  const presets = usePresets();
  return (
    <>
      {presets.error && (
        <p role="alert" className="text-warn">
          {presets.error.message}
        </p>
      )}
      {places.map((place) => (
        <ChainsOf
          key={place.list}
          place={place}
          chains={(presets.data ?? []).filter((chain) => chain.family === place.family)}
        />
      ))}
    </>
  );
}

/** Presets: what stands here saved under a name, and others put behind it. */
export function Presets({ owner, places }: { owner: string; places: ChainPlace[] }) {
  const [open, setOpen] = useState(false);
  return (
    <Panel
      button="Presets"
      title="Presets"
      className="button-plain"
      label={`Presets for ${owner}`}
      hint="Save what stands here under a name, or add what was saved of another sound"
      open={open}
      onOpen={setOpen}
      place="bottom-6 left-1/2 max-h-[70vh] w-[360px]"
    >
      <AllPresets places={places} />
    </Panel>
  );
}
