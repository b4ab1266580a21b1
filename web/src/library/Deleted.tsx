import { type Removed, useBringingBack, useRemoved } from "./productions";

function Entry({ thing }: { thing: Removed }) {
  const bringBack = useBringingBack();
  return (
    <li className="flex items-center gap-2 pl-3">
      <span className="min-w-0 flex-1 truncate" title={thing.where}>
        {thing.name}
        <span className="label">
          {" "}
          {thing.where ? `${thing.kind} of ${thing.where}` : thing.kind}
        </span>
      </span>
      <button
        type="button"
        className="button-plain"
        aria-label={`Bring back ${thing.kind} ${thing.name}`}
        onClick={() => void bringBack(thing.kind, thing.id, thing.name)}
      >
        Bring back
      </button>
    </li>
  );
}

/** What was deleted in the last month, to be brought back; nothing where there is nothing. */
export function Deleted() {
  const removed = useRemoved();
  if (!removed.data?.length) return null;
  return (
    <section aria-label="Deleted" className="mt-4 border-t border-line pt-2">
      <h3 className="label mb-1">Deleted; kept for thirty days</h3>
      <ul>
        {removed.data.map((thing) => (
          <Entry key={`${thing.kind}${thing.id}`} thing={thing} />
        ))}
      </ul>
    </section>
  );
}
