import { useEffect, useRef, useState } from "react";
import { Level } from "../longview/Level";
import { useSession } from "../session/store";
import { Menu } from "../ui/Menu";
import { Divider } from "./Divider";
import { useLayout } from "./layout";
import { setRows, useSoundRows } from "./layout-of-sound";
import { NotesRow } from "./NotesRow";
import { Overlay } from "./Overlay";
import { PictureAxis, PictureOfSpan } from "./Picture";
import { CLOSED, Row } from "./Row";
import { Ruler } from "./Ruler";
import { useRows } from "./rows";
import { Surface } from "./Surface";
import { GRIDS, useSnap } from "./snap";
import { inView, scrollBy, showAll, useSpan, useView, zoomBy } from "./view";
import { Overview, ZoomButtons } from "./Zoom";

const RULER = 26;
const LEVEL = 18;
const FOLD = 20;
/** What the frame and the divider take. */
const EDGE = 10;
const QUIETEST = -48;
const LOUDEST = -14;
/** What must stay of the window for the transport and the chain, in pixels. */
const REST = 250;
/** How much a notch of the wheel zooms. */
const WHEEL = 0.0022;

const loudnessScale = (value: number) =>
  Math.min(1, Math.max(0, (value - QUIETEST) / (LOUDEST - QUIETEST)));
const widthScale = (value: number) => Math.min(1, value);

/** Wheel and pinch: zoom around the pointer, or scroll in time. */
function useWheel(section: React.RefObject<HTMLElement | null>) {
  useEffect(() => {
    const element = section.current;
    if (!element) return;
    const onWheel = (event: WheelEvent) => {
      const axis = element.querySelector("[data-axis]")?.getBoundingClientRect();
      if (!axis || event.clientX < axis.left) return;
      const sideways = Math.abs(event.deltaX) > Math.abs(event.deltaY) || event.shiftKey;
      const overRows = (event.target as Element).closest("#sheet-rows") !== null;
      if (sideways) scrollBy((event.deltaX || event.deltaY) / axis.width);
      else if (event.ctrlKey || event.metaKey || !overRows) {
        const [from, to] = inView();
        const at = from + ((event.clientX - axis.left) / axis.width) * (to - from);
        zoomBy(Math.exp(event.deltaY * WHEEL * (event.ctrlKey ? 3 : 1)), at);
      } else return;
      event.preventDefault();
    };
    element.addEventListener("wheel", onWheel, { passive: false });
    return () => element.removeEventListener("wheel", onWheel);
  }, [section]);
}

function useWindowHeight(): number {
  const [height, setHeight] = useState(window.innerHeight);
  useEffect(() => {
    const onResize = () => setHeight(window.innerHeight);
    window.addEventListener("resize", onResize);
    return () => window.removeEventListener("resize", onResize);
  }, []);
  return height;
}

function Label({ children, height }: { children: React.ReactNode; height: number }) {
  return (
    <div
      className="label w-[158px] shrink-0 truncate pl-4 text-xs"
      style={{ lineHeight: `${height}px` }}
    >
      {children}
    </div>
  );
}

function RowsMenu() {
  const soundId = useSession((s) => s.soundId) ?? 0;
  const byModulator = useSoundRows((rows) => rows.byModulator);
  const grid = useSnap((s) => s.grid);
  return (
    <Menu
      button="Rows"
      label="How rows are shown"
      className="button-plain text-xs"
      entries={() => [
        {
          name: byModulator ? "In the order of the signal" : "Together by modulator",
          group: "Order",
          act: () => setRows(soundId, (rows) => ({ byModulator: !rows.byModulator })),
        },
        {
          name: "Close all rows",
          group: "Order",
          act: () => setRows(soundId, () => ({ open: [] })),
        },
        ...GRIDS.map((one) => ({
          name: `Snap: ${one.name}${one.grid === grid ? " ✓" : ""}`,
          group: "Snap",
          act: () => useSnap.setState({ grid: one.grid }),
        })),
      ]}
    />
  );
}

/** Every parameter that moves, as many as there is room for, and the others on demand. */
function Rows({ room }: { room: number }) {
  const rows = useRows();
  const soundId = useSession((s) => s.soundId) ?? 0;
  const pinned = useSoundRows((layout) => layout.pinned);
  const all = useSoundRows((layout) => layout.all);
  // A row that is opened makes the others scroll, but folds none of them away.
  const most = Math.floor(room / (CLOSED + 1));
  const fit =
    rows.length <= most ? rows.length : Math.max(1, Math.floor((room - FOLD) / (CLOSED + 1)));
  const hidden = rows.length - fit;
  const shown = all || hidden <= 0 ? rows : rows.slice(0, fit);
  return (
    <div className="min-h-0 flex-1 overflow-y-auto overflow-x-hidden pr-4" id="sheet-rows">
      <ul>
        {shown.map((row) => (
          <Row key={row.address} row={row} pinned={pinned.includes(row.address)} />
        ))}
      </ul>
      {rows.length === 0 && (
        <p className="label py-1 pl-4">
          Nothing moves yet: this sound stands still. Use “move” on a strip, or “Spread a little”.
        </p>
      )}
      {(hidden > 0 || all) && rows.length > 0 && (
        <button
          type="button"
          className="label block h-5 w-full pl-4 text-left text-xs hover:text-ink"
          aria-expanded={all}
          onClick={() => setRows(soundId, (layout) => ({ all: !layout.all }))}
        >
          {all ? "Fold rows" : `${hidden} more move`}
        </button>
      )}
    </div>
  );
}

/** Everything over one time axis: the long view, the notes, and a row for each thing that moves. */
export function Sheet() {
  const length = useSession((s) => s.score?.length ?? 240);
  const soundId = useSession((s) => s.soundId);
  const span = useSpan();
  const section = useRef<HTMLElement>(null);
  const window_ = useWindowHeight();
  const most = Math.max(220, window_ - REST);
  const height = Math.min(
    most,
    useLayout((s) => s.height),
  );
  const notesOpen = useView((s) => s.notesOpen);
  useWheel(section);
  // biome-ignore lint/correctness/useExhaustiveDependencies: another sound is seen whole
  useEffect(() => showAll(length), [length, soundId]);
  const notes = notesOpen ? Math.min(170, Math.round(height * 0.4)) : 22;
  const fraction = Math.round((height - RULER - 2 * LEVEL - notes) * (notesOpen ? 0.5 : 0.42));
  const left = height - RULER - 2 * LEVEL - notes - EDGE - Math.max(64, fraction);
  // What is left over under the last row that fits goes to the picture.
  const spare = Math.max(0, left - FOLD) % (CLOSED + 1);
  const spectrum = Math.max(64, fraction) + spare;
  const room = left - spare;
  const levels = { span, length, height: LEVEL };
  return (
    <section
      ref={section}
      aria-label="Sheet"
      className="relative flex shrink-0 select-none flex-col pt-1"
      style={{ height }}
    >
      <div className="flex pr-4">
        <div className="flex w-[158px] shrink-0 items-center gap-1 pl-3">
          <ZoomButtons />
          <span className="flex-1" />
          <RowsMenu />
        </div>
        <div className="relative min-w-0 flex-1" data-axis>
          <Overview />
          <Ruler />
        </div>
      </div>
      <div className="flex pr-4">
        <div className="relative w-[158px] shrink-0 text-xs text-slate">
          <PictureAxis height={spectrum} />
          <span
            aria-hidden
            className="absolute left-4"
            style={{ top: spectrum, lineHeight: `${LEVEL}px` }}
          >
            Loudness
          </span>
          <span
            aria-hidden
            className="absolute left-4"
            style={{ top: spectrum + LEVEL, lineHeight: `${LEVEL}px` }}
          >
            Width
          </span>
        </div>
        <div
          className="relative min-w-0 flex-1"
          onPointerMove={(event) => {
            const box = event.currentTarget.getBoundingClientRect();
            const fraction = (event.clientX - box.left) / box.width;
            useView.setState({ pointed: span[0] + fraction * (span[1] - span[0]) });
          }}
          onPointerLeave={() => useView.setState({ pointed: null })}
        >
          <PictureOfSpan span={span} length={length} height={spectrum} />
          <Level of="loudness" scale={loudnessScale} reach={1} {...levels} />
          <Level of="width" scale={widthScale} reach={8} {...levels} />
          <Surface length={length} />
        </div>
      </div>
      <NotesRow height={notes} label={Label} />
      <Rows room={room} />
      <Overlay />
      <Divider most={most} />
    </section>
  );
}
