import { clock } from "../document/values";
import { player } from "../live/audio";
import { compare, stop, useLive } from "../live/socket";
import { Menu } from "../ui/Menu";
import { useMoments } from "./moments";

/** Two moments of the cue, to be heard in turn. */
export function Compare() {
  const { a, b } = useMoments();
  const playing = useLive((s) => s.playing && s.playingAs === "compare");
  const set = (moment: "a" | "b") => useMoments.setState({ [moment]: player.position() });
  const described = (moment: number | null) =>
    moment === null ? "nowhere yet" : clock(moment, true);
  return (
    <Menu
      button={playing ? "A, B in turn" : "A, B"}
      label={playing ? "A, B in turn" : "A, B: two moments in turn"}
      className={`button ${playing ? "button-ink" : ""}`}
      entries={() => [
        { name: "A is here", help: `Now ${described(a)}.`, act: () => set("a") },
        { name: "B is here", help: `Now ${described(b)}.`, act: () => set("b") },
        playing
          ? { name: "Stop", act: stop }
          : {
              name: "Play them in turn",
              help: "A few seconds of each, again and again.",
              disabled: a === null || b === null,
              act: () => void compare([a ?? 0, b ?? 0]),
            },
      ]}
    />
  );
}
