import {
  comparedWith,
  editsBetween,
  markBefore,
  turnOver,
  unmarkBefore,
  useComparing,
} from "../session/comparing";
import { useSession } from "../session/store";
import { Menu } from "../ui/Menu";
import { Matched } from "./Matched";

/** The sound before and after some edits by turns, at equal loudness. */
export function BeforeAfter() {
  const mark = useComparing((s) => s.mark);
  const edits = useSession(editsBetween);
  const before = useSession(() => comparedWith() !== null);
  const many = edits === 1 ? "the last edit" : `${edits} edits`;
  return (
    <span className="flex items-center">
      <button
        type="button"
        className="button rounded-r-none"
        aria-pressed={before}
        aria-keyshortcuts="b"
        disabled={edits === 0}
        onClick={turnOver}
        title={
          edits === 0
            ? "Nothing has been changed yet that could be compared"
            : before
              ? `This is how it was before ${many}, as loud as after; B goes back`
              : `Play how it was before ${many}, at equal loudness: B`
        }
      >
        {before ? "As before" : "Compare with before"}
      </button>
      <Menu
        button="▾"
        label="What is compared"
        className="button rounded-l-none border-l-0 px-1.5"
        entries={() => [
          {
            name: "Before is now",
            help: "All edits from here on are compared with how it is now.",
            act: markBefore,
          },
          {
            name: "Before is ahead of the last edit",
            disabled: mark === null,
            act: unmarkBefore,
          },
        ]}
      />
      {before && <Matched why="So that before and after are equally loud" />}
    </span>
  );
}
