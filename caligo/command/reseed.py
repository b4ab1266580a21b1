"""``caligo reseed``: another course of what moves at random."""

from __future__ import annotations

import argparse
import json
import sys
from pathlib import Path

from caligo.command.inputs import InputError, sound_from, whole
from caligo.document.reseeding import HIGHEST_SEED, reseeded


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Which file, what of it, and where to."""
    parser.add_argument("sound", help="a sound as JSON, or the name of a demo sound")
    parser.add_argument(
        "--seed",
        type=whole(0, HIGHEST_SEED),
        required=True,
        help="the same seed gives the same sound",
    )
    parser.add_argument(
        "--modulator",
        action="append",
        default=[],
        metavar="ID",
        help="reseed this one, even if it is locked; more than once for several",
    )
    parser.add_argument("--patterns", action="store_true", help="roll step patterns too")
    parser.add_argument("-o", dest="output", metavar="OUT.json")


def run(arguments: argparse.Namespace) -> None:
    """Write the sound with other seeds; those before are kept among its rolls."""
    sound = sound_from(arguments.sound)
    try:
        made = reseeded(
            sound, arguments.seed, modulators=arguments.modulator, patterns=arguments.patterns
        )
    except KeyError as error:
        known = ", ".join(modulator.id for modulator in sound.modulators) or "none"
        raise InputError(
            f"{sound.name} has no modulator {error.args[0]!r}; its modulators are: {known}"
        ) from None
    text = json.dumps(made.as_document(), indent=1) + "\n"
    if not arguments.output:
        sys.stdout.write(text)
        return
    Path(arguments.output).write_text(text)
    changed = [
        after.name
        for before, after in zip(sound.modulators, made.modulators, strict=True)
        if before != after
    ]
    print(f"{arguments.output}: {len(changed)} reseeded ({', '.join(changed) or 'none'})")
