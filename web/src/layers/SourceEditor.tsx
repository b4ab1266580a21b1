import type { Layer } from "../api/client";
import { itemParts, type PartPlace } from "../document/catalogue";
import { addItem, changeSource, removeItem } from "../document/edits";
import { PartStrips } from "../strips/PartStrips";
import { Section } from "../strips/Section";
import { useCatalogue } from "../ui/catalogue-context";
import { change } from "./change";

/** Which kind of source the layer has. */
function SourceKind({ layer, index }: { layer: Layer; index: number }) {
  const catalogue = useCatalogue();
  return (
    <select
      className="rounded-sm bg-transparent font-semibold"
      aria-label={`Kind of source of ${layer.name}`}
      value={layer.source.kind}
      onChange={(event) =>
        change("Change the source", (sound) =>
          changeSource(sound, catalogue, index, event.target.value),
        )
      }
    >
      {catalogue.family("source").map((source) => (
        <option key={source.kind} value={source.kind} title={source.help}>
          {source.name}
        </option>
      ))}
    </select>
  );
}

/** One of the things the source is made of, such as an operator, with its strips. */
function Item({ place, index, needed }: { place: PartPlace; index: number; needed: boolean }) {
  const catalogue = useCatalogue();
  const id = place.path.slice(place.path.lastIndexOf(".") + 1);
  return (
    <Section
      title={place.title}
      about={catalogue.module("item", place.kind).help}
      actions={
        <button
          type="button"
          className="button-plain"
          disabled={needed}
          aria-label={`Remove ${place.title}`}
          onClick={() =>
            change(`Remove ${place.title}`, (s) => removeItem(s, catalogue, index, id))
          }
        >
          Remove
        </button>
      }
    >
      <PartStrips place={place} />
    </Section>
  );
}

/** The layer's source: its kind, its strips, and what it is made of. */
export function SourceEditor({
  layer,
  index,
  source,
  own,
}: {
  layer: Layer;
  index: number;
  source: PartPlace;
  own: PartPlace;
}) {
  const catalogue = useCatalogue();
  const module = catalogue.module("source", layer.source.kind);
  const items = itemParts(layer, index);
  return (
    <>
      <Section
        title="Source"
        about={
          <>
            <SourceKind layer={layer} index={index} /> {module.help}
          </>
        }
      >
        <PartStrips place={source} />
        <PartStrips place={own} only={["octave", "transpose", "drift"]} />
      </Section>
      {module.items.map((rule) => {
        const name = catalogue.module("item", rule.kind).name;
        const here = items.filter((item) => item.kind === rule.kind);
        return (
          <div key={rule.kind}>
            {here.map((place) => (
              <Item
                key={place.path}
                place={place}
                index={index}
                needed={here.length <= rule.fewest}
              />
            ))}
            <div className="mb-3">
              <button
                type="button"
                className="button"
                title={catalogue.module("item", rule.kind).help}
                disabled={here.length >= rule.most}
                onClick={() =>
                  change(`Add ${name.toLowerCase()}`, () =>
                    addItem(catalogue, layer, index, rule.kind),
                  )
                }
              >
                Add {name.toLowerCase()}
              </button>
            </div>
          </div>
        );
      })}
    </>
  );
}
