"""``caligo check``: whether a file is a valid sound."""

from __future__ import annotations

import argparse

from caligo.command.inputs import print_missing, sound_from
from caligo.document.meaning import warnings


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Which file."""
    parser.add_argument("sound", help="a sound as JSON, or the name of a demo sound")


def run(arguments: argparse.Namespace) -> None:
    """Print what is wrong, or how large the sound is."""
    sound = sound_from(arguments.sound)
    print_missing(sound)
    found = warnings(sound)
    for warning in found:
        print(f"warning: {warning}")
    more = f", and {len(found)} warnings" if found else ""
    print(
        f"{sound.name}: a valid sound with {len(sound.layers)} layers, "
        f"{len(sound.modulators)} modulators and {len(sound.routes)} routes{more}"
    )
