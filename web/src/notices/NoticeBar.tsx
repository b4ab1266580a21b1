/** The notice at the foot of the page; news go by themselves. */

import { useEffect } from "react";
import { dismissNotice, useNotices } from "./notices";

const NEWS_MS = 6000;
/** Long enough to read it and to reach its button, by keyboard too. */
const ACTION_MS = 15_000;

export function NoticeBar() {
  const notice = useNotices((s) => s.notice);
  useEffect(() => {
    if (notice?.kind !== "news") return;
    const lasts = notice.actions.length > 0 ? ACTION_MS : NEWS_MS;
    const timer = setTimeout(() => dismissNotice(notice), lasts);
    return () => clearTimeout(timer);
  }, [notice]);
  if (!notice) return null;
  return (
    <div
      role={notice.kind === "problem" ? "alert" : "status"}
      className={`panel fixed bottom-4 left-1/2 z-[60] max-h-[40vh] w-max max-w-[min(720px,92vw)] -translate-x-1/2 overflow-auto py-2.5 pl-4 pr-10 ${
        notice.actions.length > 1 ? "" : "flex items-start gap-3"
      } ${notice.kind === "problem" ? "border-warn text-warn" : ""}`}
    >
      <p className="min-w-0 whitespace-pre-line break-words">{notice.text}</p>
      {notice.actions.length > 0 && (
        <div className={`flex shrink-0 flex-wrap gap-2 ${notice.actions.length > 1 ? "mt-2" : ""}`}>
          {notice.actions.map(({ name, act }) => (
            <button
              key={name}
              type="button"
              className="button"
              onClick={() => {
                dismissNotice(notice);
                act();
              }}
            >
              {name}
            </button>
          ))}
        </div>
      )}
      <button
        type="button"
        className="button-plain absolute right-2 top-2"
        onClick={() => dismissNotice(notice)}
        aria-label="Dismiss"
      >
        ✕
      </button>
    </div>
  );
}
