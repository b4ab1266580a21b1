/** Notices: what the program has to say, and what can be done about it at once. */

import { create } from "zustand";

export interface Notice {
  text: string;
  kind: "problem" | "news";
  actions: Action[];
}

export interface Action {
  name: string;
  act: () => void;
}

/** The notice that is shown. */
export const useNotices = create<{ notice: Notice | null }>(() => ({ notice: null }));

const LONGEST = 600;

function shortened(text: string): string {
  if (text.length <= LONGEST) return text;
  return `${text.slice(0, LONGEST)}… (${text.length - LONGEST} more characters)`;
}

/** Show a notice in place of the one before. */
export function notify(
  text: string,
  kind: Notice["kind"] = "problem",
  ...actions: Action[]
): Notice {
  const notice = { text: shortened(text), kind, actions };
  useNotices.setState({ notice });
  return notice;
}

/** Dismiss a notice, or whichever there is. */
export function dismissNotice(only?: Notice) {
  if (!only || useNotices.getState().notice === only) useNotices.setState({ notice: null });
}
