import type { Layer } from "../api/client";
import { itemParts, type PartPlace } from "../document/catalogue";
import { addItem, changeSource, removeItem } from "../document/edits";
import { removeSource } from "../document/source-edits";
import { type Source, sourcesOf } from "../document/sources";
import { useFirstRecording } from "../material/library";
import { SourcePicture } from "../pictures/SourcePicture";
import { change } from "../session/change";
import { useSession } from "../session/store";
import { PartStrips } from "../strips/PartStrips";
import { useCatalogue } from "../ui/catalogue-context";
import { Section } from "../ui/Section";
import { Instrument } from "./Instrument";
import { Operators } from "./Operators";

/** Of which kind a source is. */
function SourceKind({
  layer,
  index,
  number,
  title,
}: {
  layer: Layer;
  index: number;
  number: number;
  title: string;
}) {
  const catalogue = useCatalogue();
  const first = useFirstRecording();
  return (
    <select
      className="rounded-sm bg-transparent font-semibold"
      aria-label={`Kind of ${title.toLowerCase()} of ${layer.name}`}
      value={sourcesOf(layer)[number]?.kind}
      onChange={(event) =>
        change("Change the source", (sound) =>
          changeSource(sound, catalogue, index, event.target.value, first, number),
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
function firstOf(index: number, number: number, kind: string): Source["params"] {
  const layer = useSession.getState().sound?.layers[index];
  const items = (layer && sourcesOf(layer)[number]?.items) ?? [];
  const recording = items.find((item) => item.kind === kind)?.params.recording;
  return recording === undefined ? {} : { recording };
}

/** One of the things the source is made of, such as an operator, with its strips. */
function Item({
  place,
  index,
  number,
  needed,
}: {
  place: PartPlace;
  index: number;
  number: number;
  needed: boolean;
}) {
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
            change(`Remove ${place.title}`, (s) => removeItem(s, catalogue, index, id, number))
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

/** One of the layer's sources: its kind, its strips, its place, and what it is made of. */
export function SourceEditor({
  layer,
  index,
  number,
  source,
  own,
}: {
  layer: Layer;
  index: number;
  number: number;
  source: PartPlace;
  own: PartPlace;
}) {
  const catalogue = useCatalogue();
  const module = catalogue.module("source", source.kind);
  const items = itemParts(layer, index, number);
  const several = sourcesOf(layer).length > 1;
  const { title } = source;
  return (
    <>
      <Section
        title={title}
        about={
          <>
            <SourceKind layer={layer} index={index} number={number} title={title} /> {module.help}
          </>
        }
        actions={
          several && (
            <button
              type="button"
              className="button-plain"
              aria-label={`Remove ${title.toLowerCase()}`}
              onClick={() =>
                change(`Remove ${title.toLowerCase()}`, (s) => removeSource(s, index, number))
              }
            >
              Remove
            </button>
          )
        }
      >
        <SourcePicture layer={layer} index={index} number={number} kind={module.picture} />
        <PartStrips place={source} />
        {number === 0 && <PartStrips place={own} only={["Pitch"]} headed />}
      </Section>
      {source.kind === "operators" && <Operators index={index} number={number} />}
      {source.kind === "sampler" && <Instrument layer={layer} index={index} number={number} />}
      {(source.kind === "operators" ? [] : module.items).map((rule) => {
        const name = catalogue.module("item", rule.kind).name;
        const here = items.filter((item) => item.kind === rule.kind);
        return (
          <div key={rule.kind}>
            {here.map((place) => (
              <Item
                key={place.path}
                place={place}
                index={index}
                number={number}
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
                    addItem(
                      catalogue,
                      layer,
                      index,
                      rule.kind,
                      firstOf(index, number, rule.kind),
                      number,
                    ),
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
