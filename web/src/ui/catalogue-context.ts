import { createContext, useContext } from "react";
import type { Catalogue } from "../document/catalogue";

export const CatalogueContext = createContext<Catalogue | null>(null);

export function useCatalogue(): Catalogue {
  const catalogue = useContext(CatalogueContext);
  if (!catalogue) throw new Error("the catalogue is not there yet");
  return catalogue;
}
