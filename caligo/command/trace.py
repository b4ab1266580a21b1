"""``caligo trace``: how everything moves, as numbers."""

from __future__ import annotations

import argparse
from typing import Any

from caligo.command.inputs import add_score_arguments, score_from, sound_from, whole
from caligo.command.output import print_json
from caligo.engine.views.trajectories import Outline, trajectories


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Of what, over which notes, at how many points."""
    parser.add_argument("sound", help="a sound as JSON, or the name of a demo sound")
    add_score_arguments(parser)
    parser.add_argument("--points", type=whole(2, 100_000), default=600)
    parser.add_argument("--json", action="store_true", help="the default and only form")


def run(arguments: argparse.Namespace) -> None:
    """Print the trajectories."""
    found = trajectories(
        sound_from(arguments.sound), score_from(arguments), arguments.points, each_note=True
    )

    def as_data(named: dict[str, Outline]) -> dict[str, Any]:
        return {
            name: {"value": t.middle.tolist(), "low": t.low.tolist(), "high": t.high.tolist()}
            for name, t in named.items()
        }

    print_json(
        {
            "times": found.times.tolist(),
            "modulators": as_data(found.modulators),
            "parameters": as_data(found.parameters),
            "notes": found.notes,
        }
    )
