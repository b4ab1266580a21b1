import type { ReactNode } from "react";

/** A group of strips under a heading, with what can be done to the group at the right. */
export function Section({
  title,
  about,
  actions,
  children,
  columns = 4,
}: {
  title: string;
  about?: ReactNode;
  actions?: ReactNode;
  children?: ReactNode;
  columns?: number;
}) {
  return (
    <section aria-label={title} className={children ? "mb-3" : ""}>
      <div className="mb-1 flex items-baseline gap-2">
        <h2 className="text-base">{title}</h2>
        <span className="label min-w-0 flex-1 truncate">{about}</span>
        {actions}
      </div>
      <div
        className="grid gap-2"
        style={{ gridTemplateColumns: `repeat(${columns}, minmax(0, 1fr))` }}
      >
        {children}
      </div>
    </section>
  );
}
