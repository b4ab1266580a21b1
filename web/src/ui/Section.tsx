import type { ReactNode } from "react";

/** A group of strips under a heading, with what can be done to the group at the right. */
export function Section({
  title,
  about,
  actions,
  children,
  columns,
}: {
  title: string;
  about?: ReactNode;
  actions?: ReactNode;
  children?: ReactNode;
  /** How many strips stand side by side; as many as there is room for without it. */
  columns?: number;
}) {
  return (
    <section aria-label={title} className={children ? "mb-3" : ""}>
      <div className="mb-1 flex flex-wrap items-baseline gap-x-2">
        <h2 className="text-base">{title}</h2>
        <span className="label min-w-0 flex-1 basis-40 truncate">{about}</span>
        {actions}
      </div>
      <div
        className="grid gap-2"
        style={{
          gridTemplateColumns: `repeat(${columns ?? "auto-fill"}, minmax(${columns ? "0" : "min(150px, 100%)"}, 1fr))`,
        }}
      >
        {children}
      </div>
    </section>
  );
}
