import { expect, it } from "vitest";
import { TooManyChannels } from "./library";

it("offers a mix, and channels in pairs", () => {
  const offers = (channels: number) => new TooManyChannels("", channels).offers;
  expect(offers(6).map((one) => one.take)).toEqual(["mix", "1-2", "3-4", "5-6"]);
  expect(offers(3).map((one) => one.name)).toEqual(["Mix to stereo", "Take 1 and 2"]);
});
