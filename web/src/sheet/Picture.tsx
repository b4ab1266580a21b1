import { useEffect, useRef, useState } from "react";
import { lowsAreMono, lowsToMono } from "../document/lows-to-mono";
import { slotsOf } from "../document/slots";
import { shownNumber } from "../document/values";
import { player } from "../live/audio";
import { useLive, watch } from "../live/socket";
import { FindingMarks } from "../longview/FindingMarks";
import { Now } from "../longview/Now";
import { AGAINST, laneOf, Octaves } from "../longview/Octaves";
import { onPlayhead, SELDOM } from "../longview/playhead";
import { Spectrum } from "../longview/Spectrum";
import { columns, type Stretch, smoothed } from "../longview/stretch";
import { change } from "../session/change";
import { useSession } from "../session/store";
import { longView } from "../spectrogram/long-view";
import { lostInMono } from "../spectrogram/stereo-images";
import { useCatalogue } from "../ui/catalogue-context";
import { Menu } from "../ui/Menu";
import { type Picture, setPicture, useLayout } from "./layout";
import { useView } from "./view";

const FREQUENCIES: [number, string][] = [
  [8000, "8 k"],
  [2000, "2 k"],
  [500, "500"],
  [125, "125"],
];
const PICTURES: { id: Picture; name: string; help: string }[] = [
  { id: "spectrum", name: "Spectrum", help: "Which frequencies sound." },
  { id: "panorama", name: "Panorama", help: "Where the energy lies from left to right." },
  {
    id: "octaves",
    name: "Width",
    help: "How wide each octave is; red where mono would cancel it. Beside it: width, correlation.",
  },
];
/** Columns that what is read out is the mean over, to either side. */
const REACH = 8;

/** What the picture of the whole length shows. */
function PictureMenu() {
  const picture = useLayout((s) => s.picture);
  const shown = PICTURES.find((one) => one.id === picture)?.name ?? "";
  return (
    <Menu
      button={shown}
      label={`What the picture shows: ${shown}`}
      className="button-plain absolute top-0 left-3 z-10 bg-fog/80 py-0 text-xs after:content-['_▾']"
      entries={PICTURES.map(({ id, name, help }) => ({
        name: id === picture ? `${name} ✓` : name,
        help,
        act: () => setPicture(id),
      }))}
    />
  );
}

/** Whose spectrum is shown while it plays: of all that is heard, or of one slot of the chain. */
function WatchMenu() {
  const catalogue = useCatalogue();
  const watched = useLive((s) => s.watched);
  const shown = useSession((s) => {
    const slots = watched && s.sound ? slotsOf(catalogue, s.sound) : [];
    const found = slots.find((one) => one.slot === watched);
    return found ? `${found.owner}: ${found.name}` : "";
  });
  const gone = watched !== "" && shown === "";
  useEffect(() => {
    if (gone) watch("");
  }, [gone]);
  const entry = (slot: string, name: string, group: string) => ({
    name: slot === watched ? `${name} ✓` : name,
    key: slot,
    group,
    act: () => watch(slot),
  });
  const entries = () => {
    const { sound } = useSession.getState();
    const slots = sound ? slotsOf(catalogue, sound) : [];
    return [
      entry("", "All that is heard", "Spectrum now"),
      ...slots.map((one) => entry(one.slot, one.name, one.owner)),
    ];
  };
  const label = shown || "of all";
  return (
    <Menu
      button={label}
      label={`${label}: whose spectrum is shown while it plays`}
      className="button-plain absolute top-[18px] left-3 z-10 max-w-[104px] truncate bg-fog/80 py-0 text-xs after:content-['_▾']"
      entries={entries}
    />
  );
}

/** Two decimals, with a proper minus. */
const hundredths = (value: number) => value.toFixed(2).replace("-", "−");

/** Octaves as they are written on the axis. */
function octaveName(hertz: number): string {
  return hertz >= 1000 ? `${shownNumber(hertz / 1000, 0)} k` : shownNumber(Math.floor(hertz), 0);
}

/** Says again what is read at the pointer, or else at the playhead. */
function useReadAt(say: (seconds: number) => void) {
  const newest = useRef(say);
  newest.current = say;
  useEffect(() => {
    const again = () => newest.current(useView.getState().pointed ?? player.position());
    const stops = [useView.subscribe(again), longView.subscribe(again), onPlayhead(again, SELDOM)];
    again();
    return () => {
      for (const stop of stops) stop();
    };
  }, []);
}

/** The octaves beside their lanes, with the width and the correlation of each. */
function OctaveAxis({ height }: { height: number }) {
  const length = useView((s) => s.length);
  const list = useRef<HTMLUListElement>(null);
  const [octaves, setOctaves] = useState(longView.stereo.octaves);
  useReadAt((seconds) => {
    const [{ stereo: images }, column] = columns(length)(seconds);
    if (images.octaves.length !== octaves.length) setOctaves(images.octaves);
    images.octaves.forEach((hertz, octave) => {
      const item = list.current?.children[octave];
      if (!(item instanceof HTMLElement)) return;
      const width = images.width(column, octave, REACH);
      const together = images.correlation(column, octave, REACH);
      item.textContent = `${octaveName(hertz)}  ${hundredths(width)}  ${hundredths(together)}`;
      item.dataset.against = String(together < AGAINST);
    });
  });
  return (
    <ul ref={list} aria-label="Width and correlation by octave">
      {octaves.map((hertz, octave) => (
        <li
          key={hertz}
          title="Octave, width, correlation"
          className="absolute right-1 -translate-y-1/2 whitespace-pre data-[against=true]:text-warn"
          style={{ top: laneOf(octave, octaves.length) * height }}
        />
      ))}
    </ul>
  );
}

/** Left, middle and right beside the panorama, and what mono would take. */
function PlaceAxis({ height }: { height: number }) {
  const length = useView((s) => s.length);
  const note = useRef<HTMLParagraphElement>(null);
  useReadAt((seconds) => {
    const [picture, column] = columns(length)(seconds);
    const width = smoothed(picture.width, column, REACH, (one) => one);
    if (note.current) {
      note.current.textContent = `in mono −${lostInMono(width).toFixed(1)} dB`;
    }
  });
  return (
    <>
      <p ref={note} className="absolute top-[18px] left-4" role="note" />
      {(["left", "middle", "right"] as const).map((name, i) => (
        <span
          key={name}
          aria-hidden
          className="absolute right-2 -translate-y-1/2"
          style={{ top: Math.min(height - 8, Math.max(8, (i / 2) * height)) }}
        >
          {name}
        </span>
      ))}
    </>
  );
}

/** Keeps lows in the middle at the end of the master, or leaves them where they are. */
function LowsToMono() {
  const catalogue = useCatalogue();
  const on = useSession((s) => (s.sound ? lowsAreMono(catalogue, s.sound) : false));
  const full = useSession((s) => (s.sound?.master.effects.length ?? 0) >= catalogue.limits.effects);
  return (
    <button
      type="button"
      className="button-plain absolute bottom-0 left-3 text-xs aria-pressed:font-bold aria-pressed:text-ink"
      aria-pressed={on}
      disabled={full && !on}
      title="Keep lows in the middle, by a width effect at the end of the master"
      onClick={() => change("Lows to mono", (sound) => lowsToMono(catalogue, sound))}
    >
      Mono lows
    </button>
  );
}

/** What stands beside the picture: its axis, and what is read at the pointer. */
export function PictureAxis({ height }: { height: number }) {
  const picture = useLayout((s) => s.picture);
  if (picture !== "spectrum") {
    return (
      <div className="absolute inset-x-0 top-0" style={{ height }}>
        <PictureMenu />
        {picture === "octaves" ? <OctaveAxis height={height} /> : <PlaceAxis height={height} />}
        <LowsToMono />
      </div>
    );
  }
  return (
    <>
      <Now height={height} />
      <PictureMenu />
      <WatchMenu />
      {FREQUENCIES.map(([hertz, name]) => (
        <span
          key={hertz}
          aria-hidden
          className="absolute right-2 -translate-y-1/2"
          style={{ top: longView.heightOf(hertz) * height }}
        >
          {name}
        </span>
      ))}
    </>
  );
}

/** The picture of a stretch of the cue: its spectrum, its panorama, or the width of its octaves. */
export function PictureOfSpan(view: Stretch) {
  const picture = useLayout((s) => s.picture);
  if (picture === "octaves") return <Octaves {...view} />;
  if (picture === "panorama") return <Spectrum by="place" {...view} />;
  return (
    <>
      <Spectrum by="frequency" {...view} />
      <FindingMarks height={view.height} />
    </>
  );
}
