import type { Layer, Value } from "../api/client";
import { itemParts, type PartPlace } from "../document/catalogue";
import { addItem, removeItem } from "../document/edits";
import { type Source, sourcesOf } from "../document/sources";
import { useLive } from "../live/socket";
import { isPacked } from "../pictures/packed";
import { SmallSpectrum } from "../pictures/SpectrumPicture";
import { change } from "../session/change";
import { useLayer } from "../session/hooks";
import { PartStrips } from "../strips/PartStrips";
import { itemName } from "../strips/ReferenceStrip";
import { useCatalogue } from "../ui/catalogue-context";
import { Menu } from "../ui/Menu";
import { Section } from "../ui/Section";
import { summary } from "./operator-summary";

interface Numbered {
  id: string;
  name: string;
  place: PartPlace;
}

const idOf = (place: PartPlace) => place.path.slice(place.path.lastIndexOf(".") + 1);

/** The values of an item of a source, from its place. */
function paramsOf(source: Source, place: PartPlace): Record<string, Value> {
  return source.items.find((item) => item.id === idOf(place))?.params ?? {};
}

function Operator({
  layer,
  index,
  number,
  operator,
  operators,
  modulations,
}: {
  layer: Layer;
  index: number;
  number: number;
  operator: Numbered;
  operators: Numbered[];
  modulations: PartPlace[];
}) {
  const catalogue = useCatalogue();
  const source = sourcesOf(layer)[number] ?? layer.source;
  const picture = useLive((s) => s.pictures[`${layer.id}.${source.id}`]);
  const nameOf = (id: unknown) =>
    id === operator.id ? "itself" : (operators.find((o) => o.id === id)?.name ?? "nothing");
  const acting = modulations.filter((m) => paramsOf(source, m).to === operator.id);
  const spectrum = (picture?.items as Record<string, unknown> | undefined)?.[operator.id];
  return (
    <Section
      title={operator.name}
      about={summary(
        paramsOf(source, operator.place),
        acting.map((m) => {
          const { from, amount } = paramsOf(source, m);
          return { name: nameOf(from), amount: Number(amount) };
        }),
      )}
      actions={
        <>
          <Menu
            button="Add modulating operator"
            label={`Add modulating operator: ${operator.name}`}
            entries={operators.map((other) => ({
              name: other.id === operator.id ? "Itself (feedback)" : other.name,
              disabled: acting.some((m) => paramsOf(source, m).from === other.id),
              act: () =>
                change("Add modulation", () =>
                  addItem(
                    catalogue,
                    layer,
                    index,
                    "modulation",
                    {
                      from: other.id,
                      to: operator.id,
                      amount: other.id === operator.id ? 0.5 : 1,
                    },
                    number,
                  ),
                ),
            }))}
          />
          {acting.length > 0 && (
            <Menu
              button="Stop one acting"
              label={`Stop an operator acting on ${operator.name}`}
              entries={acting.map((modulation) => ({
                name: nameOf(paramsOf(source, modulation).from),
                act: () =>
                  change("Remove modulation", (s) =>
                    removeItem(s, catalogue, index, idOf(modulation), number),
                  ),
              }))}
            />
          )}
          <button
            type="button"
            className="button-plain"
            disabled={operators.length <= 1}
            aria-label={`Remove ${operator.name}`}
            onClick={() =>
              change(`Remove ${operator.name}`, (s) =>
                removeItem(s, catalogue, index, operator.id, number),
              )
            }
          >
            Remove
          </button>
        </>
      }
    >
      {isPacked(spectrum) && picture ? (
        <SmallSpectrum
          levels={spectrum}
          length={picture.length}
          label={`Spectrum of ${operator.name} with all that modulates it`}
        />
      ) : (
        <div className="h-[50px] border border-line bg-paper" />
      )}
      {acting.map((modulation) => {
        const from = nameOf(paramsOf(source, modulation).from);
        return (
          <PartStrips
            key={modulation.path}
            place={{ ...modulation, title: `${from} on ${operator.name}` }}
            only={["amount"]}
            rename={() => `Modulated by ${from}`}
          />
        );
      })}
      <PartStrips place={operator.place} />
    </Section>
  );
}

/**
 * The level in dB of an operator that is added. One more of the same pitch adds up in step, which at
 * full level is 6 dB for the second and 12 for four.
 */
const ADDED_LEVEL = -12;

/** The operators one below the other, each with what acts on it and what comes out. */
export function Operators({ index, number }: { index: number; number: number }) {
  const catalogue = useCatalogue();
  const layer = useLayer(index);
  if (!layer) return null;
  const items = itemParts(layer, index, number);
  const operators = items
    .filter((place) => place.kind === "operator")
    .map((place, i) => ({ id: idOf(place), name: itemName("operator", i + 1), place }));
  const modulations = items.filter((place) => place.kind === "modulation");
  const most = catalogue.module("source", "operators").items[0]?.most ?? 8;
  return (
    <>
      {operators.map((operator) => (
        <Operator
          key={operator.id}
          layer={layer}
          index={index}
          number={number}
          operator={operator}
          operators={operators}
          modulations={modulations}
        />
      ))}
      <button
        type="button"
        className="button mb-3"
        disabled={operators.length >= most}
        onClick={() =>
          change("Add operator", () =>
            addItem(catalogue, layer, index, "operator", { level: ADDED_LEVEL }, number),
          )
        }
      >
        Add operator
      </button>
    </>
  );
}
