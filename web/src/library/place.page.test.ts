import { afterEach, describe, expect, it, vi } from "vitest";
import { goTo, onArrival, soundInAddress } from "./place";

afterEach(() => window.history.replaceState(null, "", "/"));

describe("the address", () => {
  it.each([
    ["/sounds/12", 12],
    ["/", null],
    ["/sounds/", null],
    ["/sounds/x1", null],
    ["/sounds/12/more", null],
  ])("%s names sound %s", (path, sound) => {
    window.history.replaceState(null, "", path);
    expect(soundInAddress()).toBe(sound);
  });

  it("tells of every change of place until it is not asked any more", () => {
    const act = vi.fn(() => soundInAddress());
    const leave = onArrival(act);
    goTo(3);
    expect(act).toHaveLastReturnedWith(3);
    window.dispatchEvent(new PopStateEvent("popstate"));
    expect(act).toHaveBeenCalledTimes(2);
    leave();
    goTo(4);
    expect(act).toHaveBeenCalledTimes(2);
  });
});
