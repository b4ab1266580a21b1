"""The figures of the sound, measured from outside.

    python -m tests.figures [part of a name …] [--write]

Prints a row for each and fails where one is not within what is wanted; ``--write`` puts the table
into docs/figures.md.
"""

from __future__ import annotations

import sys
from pathlib import Path

from tests.figures import folding, level_and_space, peaks_and_effects
from tests.figures.figure import Figure

PAGE = Path(__file__).parents[2] / "docs" / "figures.md"
ALL = (*folding.FIGURES, *level_and_space.FIGURES, *peaks_and_effects.FIGURES)


def row(figure: Figure) -> tuple[str, bool]:
    """A figure as a row of a table, and whether it is within what is wanted."""
    found = figure.worst()
    fine = found <= figure.most
    told = f"{found:.1f}" if fine else f"**{found:.1f}**"
    return (
        f"| {figure.what} | {figure.most:g} {figure.unit} | {told} | "
        f"`python -m tests.figures {figure.key}` |".replace("  |", " |"),
        fine,
    )


def main() -> None:
    """Measure those that are named, or all."""
    names = [name for name in sys.argv[1:] if not name.startswith("--")]
    chosen = [f for f in ALL if not names or any(name in f.key for name in names)]
    lines = ["| what | at most | measured | command |", "| --- | --- | --- | --- |"]
    print("\n".join(lines), flush=True)
    within = True
    for figure in chosen:
        line, fine = row(figure)
        print(line, flush=True)
        lines.append(line)
        within = within and fine
    if "--write" in sys.argv:
        before = PAGE.read_text(encoding="utf-8")
        head, tail = before.index("| what |"), before.index("\n\n", before.index("| what |"))
        PAGE.write_text(before[:head] + "\n".join(lines) + before[tail:], encoding="utf-8")
    raise SystemExit(0 if within else 1)


if __name__ == "__main__":
    main()
