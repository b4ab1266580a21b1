/** Parameters and modules for tests, with all that the catalogue says of them. */

import { Catalogue, type Module, type Parameter } from "./catalogue";

export const parameter = (key: string, more: Partial<Parameter> = {}): Parameter => ({
  key,
  name: key,
  help: "",
  unit: "%",
  low: 0,
  high: 100,
  default: 5,
  kind: "number",
  scale: "linear",
  moves: "per note",
  depth_unit: "%",
  depth_limit: 100,
  choices: [],
  when: null,
  most: 0,
  of: "",
  needed: false,
  group: "",
  display: "unit",
  two_sided: false,
  seeded: false,
  gentle_depth: 1,
  off: null,
  most_beats: 4096,
  most_hold: 8,
  ...more,
});

export const module = (
  family: Module["family"],
  kind: string,
  ...parameters: Parameter[]
): Module => ({
  family,
  kind,
  name: kind,
  help: "",
  parameters,
  items: [],
  editor: "",
  picture: "",
  category: "",
  seeded: false,
  chains: [],
  added: null,
  always_per_note: false,
  scope: "sound",
});

export const limits = {
  layers: 8,
  sources: 4,
  filters: 2,
  effects: 8,
  buses: 4,
  modulators: 32,
  routes: 128,
  lanes: 32,
  points: 512,
  rolls: 24,
  sends: 4,
};

export const catalogueOf = (...modules: Module[]) => new Catalogue(modules, limits);
