"""The figures of the sound, measured from outside.

    python -m tests.figures [part of a name …] [--write]

Prints a row for each and fails where one is not within what is wanted; ``--write`` puts these rows
into docs/figures.md, where the others stay.
"""

from __future__ import annotations

import sys
from pathlib import Path

from tests.figures import (
    drive,
    echoes,
    folding,
    from_the_middle,
    grains,
    level_and_space,
    peaks_and_effects,
    picture,
    prototypes,
)
from tests.figures.figure import Figure

PAGE = Path(__file__).parents[2] / "docs" / "figures.md"
ALL = (
    *folding.FIGURES,
    *level_and_space.FIGURES,
    *peaks_and_effects.FIGURES,
    *echoes.FIGURES,
    *grains.FIGURES,
    *drive.FIGURES,
    *from_the_middle.FIGURES,
    *picture.FIGURES,
    *prototypes.FIGURES,
)


HEAD = ["| what | at most | measured | command |", "| --- | --- | --- | --- |"]


def command(figure: Figure) -> str:
    """What measures a figure, as it ends its row."""
    return f"`python -m tests.figures {figure.key}` |"


def row(figure: Figure) -> tuple[str, bool]:
    """A figure as a row of a table, and whether it is within what is wanted."""
    found = figure.worst()
    fine = found <= figure.most
    output = f"{found:.1f}" if fine else f"**{found:.1f}**"
    return (
        f"| {figure.what} | {figure.most:g} {figure.unit} | {output} | {command(figure)}".replace(
            "  |", " |"
        ),
        fine,
    )


def written(page: str, measured: dict[str, str]) -> str:
    """The page with the rows measured, by the figures' keys, and the others as they were."""
    begin = page.index(HEAD[0])
    end = page.index("\n\n", begin)
    known = page[begin:end].splitlines()
    rows = [
        measured.get(figure.key) or next((x for x in known if x.endswith(command(figure))), "")
        for figure in ALL
    ]
    return page[:begin] + "\n".join(HEAD + [line for line in rows if line]) + page[end:]


def main() -> None:
    """Measure those that are named, or all."""
    names = [name for name in sys.argv[1:] if not name.startswith("--")]
    chosen = [f for f in ALL if not names or any(name in f.key for name in names)]
    print("\n".join(HEAD), flush=True)
    measured, within = {}, True
    for figure in chosen:
        line, fine = row(figure)
        print(line, flush=True)
        measured[figure.key] = line
        within = within and fine
    if "--write" in sys.argv:
        page = PAGE.read_text(encoding="utf-8")
        PAGE.write_text(written(page, measured), encoding="utf-8")
    raise SystemExit(0 if within else 1)


if __name__ == "__main__":
    main()
