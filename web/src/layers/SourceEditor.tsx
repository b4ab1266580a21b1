import type { Layer } from "../api/client";
import { itemParts, type PartPlace } from "../document/catalogue";
import { addItem, changeSource, removeItem } from "../document/edits";
import { useMaterial } from "../material/library";
import { SourcePicture } from "../pictures/SourcePicture";
import { change } from "../session/change";
import { useSession } from "../session/store";
import { PartStrips } from "../strips/PartStrips";
import { useCatalogue } from "../ui/catalogue-context";
import { Section } from "../ui/Section";
import { Instrument } from "./Instrument";
import { Operators } from "./Operators";

/** Which kind of source the layer has. */
function SourceKind({ layer, index }: { layer: Layer; index: number }) {
  const catalogue = useCatalogue();
  const material = useMaterial();
  const first = material.data?.find((m) => m.card.kind === "recording")?.card.key ?? "";
  return (
    <select
      className="rounded-sm bg-transparent font-semibold"
      aria-label={`Kind of source of ${layer.name}`}
      value={layer.source.kind}
      onChange={(event) =>
        change("Change the source", (sound) =>
          changeSource(sound, catalogue, index, event.target.value, first),
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

/** What a new item takes over from the first of its kind: the recording that it plays. */
function firstOf(index: number, kind: string): Layer["source"]["params"] {
  const layer = useSession.getState().sound?.layers[index];
  const recording = layer?.source.items.find((item) => item.kind === kind)?.params.recording;
  return recording === undefined ? {} : { recording };
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
        <SourcePicture layer={layer} index={index} kind={module.picture} />
        <PartStrips place={source} />
        <PartStrips place={own} only={["Pitch"]} headed />
      </Section>
      {layer.source.kind === "operators" && <Operators index={index} />}
      {layer.source.kind === "sampler" && <Instrument layer={layer} index={index} />}
      {(layer.source.kind === "operators" ? [] : module.items).map((rule) => {
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
                    addItem(catalogue, layer, index, rule.kind, firstOf(index, rule.kind)),
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
