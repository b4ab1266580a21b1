import { useState } from "react";
import type { Route } from "../api/client";
import { targets as allTargets, type Target } from "../document/catalogue";
import { copyRoutes, type SortKey, soloRoutes, sortedRoutes } from "../document/routing";
import { depthStep } from "../document/values";
import { notify } from "../notices/notices";
import { hue } from "../routes/hues";
import { NumberField } from "../routes/NumberField";
import { change } from "../session/change";
import { edit, useSession } from "../session/store";
import { useCatalogue } from "../ui/catalogue-context";
import { Panel } from "../ui/Panel";

interface Placed {
  route: Route;
  from: string;
  to: string;
  target: Target | undefined;
}

function edited(id: string, field: keyof Route, value: unknown, gesture: string | null = null) {
  change(
    "Route",
    (sound) => {
      const at = sound.routes.findIndex((route) => route.id === id);
      return at < 0 ? [] : [{ op: "replace", path: `/routes/${at}/${field}`, value }];
    },
    gesture,
  );
}

function Heading({
  name,
  column,
  sort,
  onSort,
}: {
  name: string;
  column: SortKey;
  sort: { key: SortKey; down: boolean };
  onSort: (column: SortKey) => void;
}) {
  const on = sort.key === column;
  return (
    <th
      scope="col"
      className="text-left"
      aria-sort={on ? (sort.down ? "descending" : "ascending") : "none"}
    >
      <button type="button" className="button-plain font-semibold" onClick={() => onSort(column)}>
        {name} {on ? (sort.down ? "↓" : "↑") : ""}
      </button>
    </th>
  );
}

function CopyRoutes({ rows }: { rows: Placed[] }) {
  const catalogue = useCatalogue();
  const sound = useSession((s) => s.sound);
  const [from, setFrom] = useState("");
  const [to, setTo] = useState("");
  if (!sound) return null;
  const places = new Map(
    allTargets(sound, catalogue, true).map((t) => [
      t.place.path,
      `${t.place.owner}${t.place.title ? `, ${t.place.title}` : ""}`,
    ]),
  );
  const moved = new Set(rows.map((row) => row.target?.place.path ?? ""));
  const options = (paths: string[]) =>
    paths.map((path) => (
      <option key={path} value={path}>
        {places.get(path)}
      </option>
    ));
  return (
    <div className="mt-2 flex flex-wrap items-center gap-1 border-t border-line pt-2">
      <span className="label">Copy all routes of</span>
      <select
        className="field py-0"
        aria-label="Copy routes of"
        value={from}
        onChange={(event) => setFrom(event.target.value)}
      >
        <option value="">choose</option>
        {options([...places.keys()].filter((path) => moved.has(path)))}
      </select>
      <span className="label">to</span>
      <select
        className="field py-0"
        aria-label="Copy routes to"
        value={to}
        onChange={(event) => setTo(event.target.value)}
      >
        <option value="">choose</option>
        {options([...places.keys()].filter((path) => path !== from))}
      </select>
      <button
        type="button"
        className="button"
        disabled={!from || !to}
        onClick={() => {
          const operations = copyRoutes(sound, catalogue, from, to);
          if (operations.length === 0) notify("Nothing of these can be moved there.");
          edit("sound", operations, "Copy routes");
        }}
      >
        Copy
      </button>
    </div>
  );
}

/** All routes of the sound: sorted, filtered, and edited where they stand. */
export function RoutesTable() {
  const catalogue = useCatalogue();
  const [open, setOpen] = useState(false);
  const [sought, setSought] = useState("");
  const [sort, setSort] = useState<{ key: SortKey; down: boolean }>({ key: "from", down: false });
  const sound = useSession((s) => (open ? s.sound : null));
  const targets = sound ? allTargets(sound, catalogue, true) : [];
  const rows: Placed[] = (sound?.routes ?? []).map((route) => {
    const target = targets.find((t) => t.address === route.to);
    return {
      route,
      from: sound?.modulators.find((m) => m.id === route.from)?.name ?? route.from,
      to: target ? `${target.place.owner}: ${target.label}` : route.to,
      target,
    };
  });
  const words = sought.toLowerCase().split(/\s+/).filter(Boolean);
  const found = rows.filter((row) =>
    words.every((word) => `${row.from} ${row.to}`.toLowerCase().includes(word)),
  );
  const order = sortedRoutes(found, sort.key, sort.down) as Placed[];
  const sortBy = (key: SortKey) => setSort({ key, down: sort.key === key && !sort.down });
  return (
    <Panel
      button="Routes"
      title="All routes"
      className="button-plain"
      open={open}
      onOpen={setOpen}
      place="right-4 top-16 max-h-[84vh] w-[min(720px,94vw)]"
      hint="Every route in one table"
    >
      <input
        className="field mb-2 w-full"
        aria-label="Filter routes"
        placeholder="Filter, for example weather cutoff"
        value={sought}
        onChange={(event) => setSought(event.target.value)}
      />
      <table className="w-full">
        <thead>
          <tr className="border-b border-line">
            <Heading name="From" column="from" sort={sort} onSort={sortBy} />
            <Heading name="To" column="to" sort={sort} onSort={sortBy} />
            <Heading name="Depth" column="depth" sort={sort} onSort={sortBy} />
            <th scope="col" className="label text-left">
              Direction
            </th>
            <th scope="col" />
          </tr>
        </thead>
        <tbody>
          {order.map(({ route, from, to, target }) => (
            <tr key={route.id} className="border-b border-line" data-table-route={route.id}>
              <td className="whitespace-nowrap py-0.5 pr-2">
                <span
                  className="mr-1 inline-block h-2 w-2"
                  style={{ background: hue(sound?.modulators ?? [], route.from) }}
                  aria-hidden
                />
                <span className={route.muted ? "line-through" : ""}>{from}</span>
              </td>
              <td className="py-0.5 pr-2">{to}</td>
              <td className="py-0.5 pr-2">
                {target && (
                  <NumberField
                    label={`Depth of ${from} on ${to}`}
                    hidden
                    value={route.depth}
                    unit={target.parameter.depth_unit}
                    limit={target.parameter.depth_limit}
                    step={depthStep(target.parameter)}
                    onChange={(value, gesture) => edited(route.id, "depth", value, gesture)}
                  />
                )}
              </td>
              <td className="py-0.5 pr-2">
                <select
                  className="bg-transparent"
                  aria-label={`Polarity of ${from} on ${to}`}
                  value={route.polarity}
                  onChange={(event) => edited(route.id, "polarity", event.target.value)}
                >
                  <option value="bipolar">bipolar</option>
                  <option value="unipolar">unipolar</option>
                </select>
              </td>
              <td className="whitespace-nowrap py-0.5 text-right">
                <button
                  type="button"
                  className="button-plain"
                  aria-pressed={route.muted}
                  aria-label={`Mute ${from} on ${to}`}
                  onClick={() => edited(route.id, "muted", !route.muted)}
                >
                  mute
                </button>
                <button
                  type="button"
                  className="button-plain"
                  aria-label={`Only ${from} on ${to}`}
                  title="All others silent; once more, and all act again"
                  onClick={() => change("Solo route", (now) => soloRoutes(now, [route.id]))}
                >
                  solo
                </button>
                <button
                  type="button"
                  className="button-plain"
                  aria-label={`Remove ${from} on ${to}`}
                  onClick={() =>
                    change("Remove route", (now) => [
                      {
                        op: "remove",
                        path: `/routes/${now.routes.findIndex((r) => r.id === route.id)}`,
                      },
                    ])
                  }
                >
                  ✕
                </button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {order.length === 0 && <p className="label py-1">No route of that name.</p>}
      <CopyRoutes rows={rows} />
    </Panel>
  );
}
