"""``caligo trace``: how everything moves, as numbers."""

from __future__ import annotations

import argparse
from typing import Any

from caligo.command.inputs import add_score_arguments, score_from, sound_from, whole
from caligo.command.output import print_json
from caligo.document.addresses import find_parameters
from caligo.document.meaning import names_of
from caligo.document.sound import Sound
from caligo.document.times import Time
from caligo.engine.views.trajectories import Outline, Trajectories, trajectories

EPILOG = """\
times        seconds of the points
modulators   by id: its name and kind, and at each point its value, and the lowest and
             highest until the next; a bipolar one goes from -1 to 1, the others from 0 to 1
parameters   by address: its owner and name, its unit, and the same in that unit; what differs
             by note is that of the note that began last
notes        by address, then by the note's id: what differs by note, none before it begins
"""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Of what, over which notes, at how many points."""
    parser.formatter_class = argparse.RawDescriptionHelpFormatter
    parser.epilog = f"what is printed:\n{EPILOG}"
    parser.add_argument("sound", help="a sound as JSON, or the name of a demo sound")
    add_score_arguments(parser)
    parser.add_argument(
        "--points", type=whole(2, 100_000), default=600, help="how many, evenly over the length"
    )
    parser.add_argument("--json", action="store_true", help="the default and only form")


def run(arguments: argparse.Namespace) -> None:
    """Print the trajectories."""
    sound = sound_from(arguments.sound)
    found = trajectories(sound, score_from(arguments), arguments.points, each_note=True)
    print_json(
        {
            "times": found.times.tolist(),
            "modulators": _modulators(sound, found),
            "parameters": _parameters(sound, found),
            "notes": found.notes,
        }
    )


def _modulators(sound: Sound, found: Trajectories) -> dict[str, Any]:
    """Each modulator by its id."""
    parts = {modulator.id: modulator for modulator in sound.modulators}
    return {
        name: {
            "name": parts[name].name,
            "kind": parts[name].kind,
            "bipolar": name in found.two_sided,
            **_values(outline),
        }
        for name, outline in found.modulators.items()
    }


def _parameters(sound: Sound, found: Trajectories) -> dict[str, Any]:
    """Each moved parameter by its address."""
    owners, addresses = names_of(sound), find_parameters(sound, found.parameters)
    made = {}
    for path, outline in found.parameters.items():
        address = addresses[path]
        assert address is not None
        value = address.part.params[address.parameter.key]
        made[path] = {
            "owner": owners.get(path.partition(".")[0], sound.name),
            "part": address.module.name,
            "name": address.parameter.name,
            "unit": value.unit if isinstance(value, Time) else address.parameter.unit,
            **_values(outline),
        }
    return made


def _values(outline: Outline) -> dict[str, Any]:
    return {
        "value": outline.middle.tolist(),
        "low": outline.low.tolist(),
        "high": outline.high.tolist(),
    }
