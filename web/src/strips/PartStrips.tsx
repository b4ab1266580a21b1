import { applies, type Parameter, type PartPlace } from "../document/catalogue";
import { useCatalogue } from "../ui/catalogue-context";
import { NumbersStrip } from "./NumbersStrip";
import { ReferenceStrip } from "./ReferenceStrip";
import { ChoiceStrip, Strip } from "./Strip";

/** The strips of a part's parameters, those that do something at the moment. */
export function PartStrips({
  place,
  only,
  except,
  rename,
}: {
  place: PartPlace;
  only?: string[];
  except?: string[];
  rename?: (parameter: Parameter) => string;
}) {
  const module = useCatalogue().module(place.family, place.kind);
  return module.parameters
    .filter((p) => (!only || only.includes(p.key)) && !except?.includes(p.key))
    .filter((p) => applies(p, place.params))
    .map((parameter) => {
      const props = { place, parameter };
      switch (parameter.kind) {
        case "choice":
        case "switch":
          return <ChoiceStrip key={parameter.key} {...props} />;
        case "numbers":
          return <NumbersStrip key={parameter.key} {...props} />;
        case "reference":
          return <ReferenceStrip key={parameter.key} {...props} />;
        default:
          return <Strip key={parameter.key} {...props} name={rename?.(parameter)} />;
      }
    });
}
