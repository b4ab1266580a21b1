import { describe, expect, it } from "vitest";
import type { Layer, Sound } from "../api/client";
import type { Catalogue } from "./catalogue";
import { applyOperations } from "./patch";
import { addSource, removeSource } from "./source-edits";
import { sourcePointer, sourcesOf } from "./sources";

const catalogue = {
  module: (family: string, kind: string) => ({ family, kind, parameters: [], items: [] }),
} as unknown as Catalogue;

function example(): Sound {
  return {
    layers: [
      {
        id: "ground",
        name: "Ground",
        source: { id: "source", kind: "saw", params: {}, items: [] },
        more_sources: [{ id: "source1", kind: "bell", params: {}, items: [] }],
        filters: [],
        envelope: { id: "envelope" },
        inserts: [],
        sends: [],
      },
    ],
    routes: [
      { id: "r1", from: "m", to: "ground.source.level" },
      { id: "r2", from: "m", to: "ground.source1.level" },
    ],
    lanes: [],
  } as unknown as Sound;
}

const layerOf = (sound: Sound) => sound.layers[0] as Layer;
const idsOf = (sound: Sound) => sourcesOf(layerOf(sound)).map((source) => source.id);

describe("sources of a layer", () => {
  it("are added behind the others under ids of their own", () => {
    const sound = example();
    const added = applyOperations(sound, addSource(sound, catalogue, 0, "noise", "")).document;
    expect(idsOf(added)).toEqual(["source", "source1", "source2"]);
    expect(sourcesOf(layerOf(added)).map((source) => source.kind)).toEqual([
      "saw",
      "bell",
      "noise",
    ]);
  });

  it("are removed with the routes that led to them", () => {
    const sound = example();
    const left = applyOperations(sound, removeSource(sound, 0, 1)).document;
    expect(idsOf(left)).toEqual(["source"]);
    expect(left.routes.map((route) => route.id)).toEqual(["r1"]);
  });

  it("move up where the first goes, and keep their routes", () => {
    const sound = example();
    const left = applyOperations(sound, removeSource(sound, 0, 0)).document;
    expect(idsOf(left)).toEqual(["source1"]);
    expect(left.routes.map((route) => route.to)).toEqual(["ground.source1.level"]);
    expect(removeSource(left, 0, 0)).toEqual([]);
  });

  it("have pointers by their numbers", () => {
    expect([0, 1, 3].map((number) => sourcePointer(2, number))).toEqual([
      "/layers/2/source",
      "/layers/2/more_sources/0",
      "/layers/2/more_sources/2",
    ]);
  });
});
