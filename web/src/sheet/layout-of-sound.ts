/** The layout of the open sound's rows. */

import { useSession } from "../session/store";
import { NO_ROWS, type SoundRows, useLayout } from "./layout";

export { setRows, shifted, toggled } from "./layout";

/** Something of how the open sound's rows are laid out. */
export function useSoundRows<T>(of: (rows: SoundRows) => T): T {
  const soundId = useSession((s) => s.soundId);
  return useLayout((s) => of({ ...NO_ROWS, ...(soundId === null ? {} : s.rows[soundId]) }));
}
