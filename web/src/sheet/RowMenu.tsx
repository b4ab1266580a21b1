import type { Score, Value } from "../api/client";
import type { Catalogue } from "../document/catalogue";
import {
  addLane,
  fromController,
  inSeconds,
  laneAt,
  removeLane,
  setPoints,
  setUnit,
  shifted as shiftedPoints,
  stretched,
  thinned,
  toController,
} from "../document/lanes";
import { valueAt } from "../document/patch";
import { asNumber, atFraction, fraction, range } from "../document/values";
import { player } from "../live/audio";
import { askForNotes, useLive } from "../live/socket";
import { notify } from "../notices/notices";
import { moveBy } from "../routes/dropping";
import { change } from "../session/change";
import { edit, useSession } from "../session/store";
import { useCatalogue } from "../ui/catalogue-context";
import { Menu, type MenuEntry } from "../ui/Menu";
import { setRows, shifted, toggled } from "./layout-of-sound";
import type { SheetRow } from "./rows";
import { worth } from "./scale";

const THIN = 0.015;
/** What controllers are called in the trade. */
const CONTROLLER_NAMES: Record<number, string> = {
  1: "wheel",
  2: "breath",
  7: "volume",
  11: "expression",
  74: "brightness",
  128: "pressure",
  129: "pitch bend",
};

/** A lane that was copied, to be pasted into another row, as fractions of the range. */
let copied: { time: number; fraction: number; bend: number }[] | null = null;

export function controllerName(number: number): string {
  const name = CONTROLLER_NAMES[number];
  return number > 127 ? (name ?? "") : name ? `${number} ${name}` : `${number}`;
}

function laneEntries(row: SheetRow, score: Score): MenuEntry[] {
  const { address } = row;
  const parameter = row.target.parameter;
  const lane = useSession.getState().sound?.lanes.find((one) => one.to === address);
  const { sound } = useSession.getState();
  const value = sound && valueAt(sound, `${row.target.place.pointer}/params/${parameter.key}`);
  // A time goes as far as its unit allows.
  const { low, high } = range(parameter, value as Value);
  const rest = asNumber(value as Value);
  const at = (part: number) => worth(atFraction(parameter, part, low, high));
  const part = (value: number) => fraction(parameter, value, low, high);
  const set = (label: string, points: NonNullable<typeof lane>["points"]) =>
    change(label, (sound, score) => setPoints(sound, address, points, score));
  if (!lane) {
    return [
      {
        name: "Draw a lane",
        help: "A course by hand; what moves it adds to that.",
        group: "Lane",
        act: () => {
          change("Draw a lane", (now) => addLane(now, address));
          openRow(row);
        },
      },
      ...score.lanes.map((one) => ({
        name: `Lane from controller ${controllerName(one.controller)}`,
        group: "Lane",
        act: () => {
          set("Lane from controller", fromController(score, one.controller, at));
          openRow(row);
        },
      })),
      ...(copied ? [{ name: "Paste lane", group: "Lane", act: () => paste(row, at) }] : []),
    ];
  }
  const here = player.position();
  const points = inSeconds(lane, score);
  return [
    {
      name: lane.muted ? "Let the lane act" : "Mute the lane",
      group: "Lane",
      act: () => {
        const index = useSession.getState().sound?.lanes.indexOf(lane) ?? -1;
        edit(
          "sound",
          [{ op: "replace", path: `/lanes/${index}/muted`, value: !lane.muted }],
          "Lane",
        );
      },
    },
    {
      name: lane.unit === "beats" ? "Lay it on seconds" : "Lay it on beats",
      help: "On beats, its points go along when the tempo changes.",
      group: "Lane",
      act: () =>
        change(lane.unit === "beats" ? "Lane on seconds" : "Lane on beats", (now, score) =>
          setUnit(now, address, lane.unit === "beats" ? "s" : "beats", score),
        ),
    },
    {
      name: "Point at the playhead",
      group: "Lane",
      act: () => {
        const there = laneAt(points, here, parameter.scale === "logarithmic") ?? rest;
        set("Add a point", [...points, { time: here, value: worth(there), bend: 0 }]);
      },
    },
    {
      name: "Copy lane",
      group: "Lane",
      act: () => {
        copied = points.map((p) => ({ time: p.time, fraction: part(p.value), bend: p.bend }));
        notify(`The lane of ${row.name} is copied; paste it into another row.`, "news");
      },
    },
    ...(copied ? [{ name: "Paste lane", group: "Lane", act: () => paste(row, at) }] : []),
    {
      name: "Begin the lane at the playhead",
      group: "Lane",
      act: () =>
        set("Shift lane", shiftedPoints(points, here - (points[0]?.time ?? here), score.length)),
    },
    {
      name: "Stretch over the whole cue",
      group: "Lane",
      act: () => set("Stretch lane", stretched(points, 0, score.length)),
    },
    {
      name: "Thin out",
      group: "Lane",
      act: () => set("Thin lane", thinned(points, THIN, part)),
    },
    {
      name: "Write to controller 1 (wheel)",
      group: "Lane",
      act: () => edit("score", toController(score, 1, points, part), "Lane to controller"),
    },
    {
      name: "Remove the lane",
      group: "Lane",
      act: () => change("Remove lane", (sound) => removeLane(sound, address)),
    },
  ];
}

function paste(row: SheetRow, at: (fraction: number) => number) {
  const points = (copied ?? []).map((p) => ({ time: p.time, value: at(p.fraction), bend: p.bend }));
  change("Paste lane", (sound, score) => setPoints(sound, row.address, points, score));
  openRow(row);
}

function openRow(row: SheetRow) {
  const { soundId } = useSession.getState();
  if (soundId === null) return;
  setRows(soundId, (rows) => ({
    open: rows.open.includes(row.address) ? rows.open : [...rows.open, row.address],
  }));
}

/** Modulators that do not move it yet. */
function moveEntries(row: SheetRow, catalogue: Catalogue): MenuEntry[] {
  const modulators = useSession.getState().sound?.modulators ?? [];
  return modulators
    .filter((m) => !row.movers.includes(m.id) && m.id !== row.target.place.path)
    .map((m) => ({
      name: `Move it by ${m.name}`,
      group: "Routes",
      act: () => moveBy(m.id, row.target, catalogue),
    }));
}

function muteEntries(row: SheetRow): MenuEntry[] {
  const { sound } = useSession.getState();
  const routes = sound?.routes.map((route, index) => ({ route, index })) ?? [];
  const own = routes.filter(({ route }) => route.to === row.address);
  if (own.length === 0) return [];
  const muted = own.every(({ route }) => route.muted);
  return [
    {
      name: muted ? "Let it be moved" : "Mute its routes",
      group: "Routes",
      act: () =>
        edit(
          "sound",
          own.map(({ index }) => ({
            op: "replace" as const,
            path: `/routes/${index}/muted`,
            value: !muted,
          })),
          muted ? "Unmute routes" : "Mute routes",
        ),
    },
  ];
}

/** What can be done with a row. */
export function RowMenu({ row, pinned, open }: { row: SheetRow; pinned: boolean; open: boolean }) {
  const catalogue = useCatalogue();
  const entries = (): MenuEntry[] => {
    const { soundId, score } = useSession.getState();
    if (soundId === null || !score) return [];
    const { address } = row;
    const differs = useLive.getState().trajectories.spread[address] !== undefined;
    return [
      {
        name: pinned ? "Unpin" : "Pin to the top",
        group: "Row",
        act: () => setRows(soundId, (rows) => ({ pinned: toggled(rows.pinned, address) })),
      },
      ...(pinned
        ? [-1, 1].map((by) => ({
            name: by < 0 ? "Move up" : "Move down",
            group: "Row",
            act: () => setRows(soundId, (rows) => ({ pinned: shifted(rows.pinned, address, by) })),
          }))
        : []),
      ...(differs
        ? [
            {
              name: "Show each note",
              group: "Row",
              act: () => {
                if (!open) openRow(row);
                askForNotes(address);
              },
            },
          ]
        : []),
      ...muteEntries(row),
      ...moveEntries(row, catalogue),
      ...laneEntries(row, score),
    ];
  };
  return (
    <Menu
      button="⋯"
      label={`More for ${row.name}, ${row.owner}`}
      entries={entries}
      className="absolute right-0.5 top-0 bg-fog px-1 text-slate opacity-0 focus-visible:opacity-100 group-hover:opacity-100 data-[state=open]:opacity-100"
    />
  );
}
