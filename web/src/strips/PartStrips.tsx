import { applies, type Parameter, type PartPlace } from "../document/catalogue";
import { useCatalogue } from "../ui/catalogue-context";
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
    .map((parameter) =>
      parameter.kind === "choice" || parameter.kind === "switch" ? (
        <ChoiceStrip key={parameter.key} place={place} parameter={parameter} />
      ) : (
        <Strip key={parameter.key} place={place} parameter={parameter} name={rename?.(parameter)} />
      ),
    );
}
