import { useState } from "react";
import { useCatalogue } from "../ui/catalogue-context";
import { EditableName } from "../ui/EditableName";
import { Panel } from "../ui/Panel";
import { addKept, type KeptChain, useKeeping, useKeptChains } from "./kept-chains";

/** One chain: its name, what it is made of, and what can be done with it. */
function Kept({ chain, full, onAdd }: { chain: KeptChain; full: boolean; onAdd: () => void }) {
  const catalogue = useCatalogue();
  const keeping = useKeeping();
  const made = chain.parts.map((part) => catalogue.module(chain.family, part.kind).name);
  const movers = chain.modulators.map((modulator) => modulator.name);
  return (
    <li className="mb-2 border-b border-line pb-2">
      <div className="flex items-baseline gap-3">
        <EditableName
          name={chain.name}
          label={`Chain ${chain.name}`}
          className="min-w-0 flex-1 font-semibold"
          onChange={(name) => void keeping.rename(chain, name)}
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
          onClick={() => void keeping.forget(chain)}
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

/** A list of filters or effects that chains are kept of and added to. */
export interface ChainPlace {
  family: KeptChain["family"];
  /** The pointer to the list. */
  list: string;
  /** How many stand in it. */
  count: number;
}

/** What stands in one list, to be kept under a name, and what is kept for lists like it. */
function ChainsOf({ place, chains }: { place: ChainPlace; chains: KeptChain[] }) {
  const { family, list, count } = place;
  const { limits } = useCatalogue();
  const [name, setName] = useState("");
  const keeping = useKeeping();
  const most = family === "filter" ? limits.filters : limits.effects;
  const keep = () => {
    void keeping.keepHere(name.trim(), family, list);
    setName("");
  };
  return (
    <section aria-label={`Chains of ${family}s`} className="mb-3">
      <h3 className="label mb-1">{family === "filter" ? "Filters" : "Effects"}</h3>
      <form
        className="mb-2 flex gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          if (name.trim() && count > 0) keep();
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
          Keep
        </button>
      </form>
      {chains.length === 0 && <p className="label">None is kept yet.</p>}
      <ul>
        {chains.map((chain) => (
          <Kept
            key={chain.id}
            chain={chain}
            full={count >= most}
            onAdd={() => addKept(chain, list, most, limits)}
          />
        ))}
      </ul>
    </section>
  );
}

/** All chains; they are asked for when the panel is opened. */
function AllKept({ places }: { places: ChainPlace[] }) {
  const kept = useKeptChains();
  return (
    <>
      {kept.error && (
        <p role="alert" className="text-warn">
          {kept.error.message}
        </p>
      )}
      {places.map((place) => (
        <ChainsOf
          key={place.list}
          place={place}
          chains={(kept.data ?? []).filter((chain) => chain.family === place.family)}
        />
      ))}
    </>
  );
}

/** The chains that are kept: those here under a name, and others put behind what stands here. */
export function KeptChains({ owner, places }: { owner: string; places: ChainPlace[] }) {
  const [open, setOpen] = useState(false);
  return (
    <Panel
      button="Kept"
      title="Kept chains"
      className="button-plain"
      label={`Kept chains, for ${owner}`}
      hint="Keep what stands here under a name, or add what was kept of another sound"
      open={open}
      onOpen={setOpen}
      place="bottom-6 left-1/2 max-h-[70vh] w-[360px]"
    >
      <AllKept places={places} />
    </Panel>
  );
}
