"""What the command is given: sounds by file or demo name, scores by file or chord."""

from __future__ import annotations

import argparse
import json
import math
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

from caligo.document import DocumentError, Score, Sound, read_score, read_sound
from caligo.document.held import held_chord
from caligo.document.pitch import PitchError
from caligo.document.score import LONGEST_SCORE
from caligo.errors import InputRefused
from caligo.material.needed import missing
from caligo.material.store import VARIABLE

DEMO_DIRECTORY = Path(__file__).resolve().parents[2] / "demo" / "sounds"


class InputError(InputRefused):
    """Something given to the command that cannot be used, said for a person."""


def read_json(path: Path) -> Any:
    """The JSON in a file."""
    try:
        return json.loads(path.read_text())
    except OSError as error:
        raise InputError(f"{path} cannot be read: {error.strerror}") from None
    except (ValueError, RecursionError) as error:
        raise InputError(f"{path} is not JSON: {str(error)[:120]}") from None


def demo_sounds() -> dict[str, Path]:
    """The demo sounds' files by name."""
    found = {}
    for path in sorted(DEMO_DIRECTORY.glob("*.json")):
        found[str(read_json(path)["name"])] = path
    return found


def sound_from(given: str) -> Sound:
    """The sound in a JSON file, or the demo sound of this name.

    Raises
    ------
    InputError
        If there is no such file or sound, or it breaks the rules.
    """
    path = Path(given)
    if not path.exists():
        names = demo_sounds()
        if given not in names:
            raise InputError(
                f"{given!r} is neither a file nor a demo sound; "
                f"the demo sounds are: {', '.join(names)}"
            )
        path = names[given]
    try:
        return read_sound(read_json(path))
    except DocumentError as error:
        raise InputError(f"{path} is not a valid sound:\n{error}") from None


def print_missing(sound: Sound) -> None:
    """Say which material a sound wants that is not there."""
    for address in missing(sound):
        print(
            f"{address}: this material is not in the library, and is silent; "
            f"name its folder in {VARIABLE}",
            file=sys.stderr,
        )


def score_from(arguments: argparse.Namespace) -> Score:
    """The score given by ``--score``, or a chord held for ``--minutes``."""
    try:
        if arguments.score:
            path = Path(arguments.score)
            if path.suffix.lower() in (".mid", ".midi"):
                from caligo.formats.midi import read_midi

                return read_midi(path.read_bytes(), path.name)
            data = read_json(path)
            if isinstance(data, dict) and "layers" in data:
                raise InputError(f"{path} is a sound; --score wants a score, or a MIDI file")
            return read_score(data)
        return held_chord(arguments.chord, arguments.minutes * 60.0)
    except PitchError as error:
        raise InputError(str(error)) from None
    except DocumentError as error:
        what = (
            "the notes do not fit" if not arguments.score else f"{arguments.score} is not a score"
        )
        raise InputError(f"{what}:\n{error}") from None
    except OSError as error:
        raise InputError(f"{arguments.score} cannot be read: {error.strerror}") from None


def add_score_arguments(parser: argparse.ArgumentParser) -> None:
    """The arguments that `score_from` reads."""
    parser.add_argument("--score", help="a score as JSON, or a Standard MIDI File")
    parser.add_argument("--chord", default="C2 G2 D3 A3", help="notes or chord symbols to hold")
    parser.add_argument("--minutes", type=minutes, default=4.0, help="how long to hold them")


def whole(low: int, high: int) -> Callable[[str], int]:
    """A kind of argument: a whole number of a range."""

    def read(text: str) -> int:
        if not text.removeprefix("-").isdigit() or not low <= int(text[:12]) <= high:
            raise argparse.ArgumentTypeError(
                f"{text[:20]!r} is not a whole number from {low} to {high}"
            )
        return int(text)

    return read


def minutes(text: str) -> float:
    """Minutes that a score may last."""
    longest = LONGEST_SCORE / 60.0
    try:
        found = float(text)
    except ValueError:
        found = math.nan
    if not 1.0 / 60.0 <= found <= longest:
        raise argparse.ArgumentTypeError(
            f"{text[:20]!r} is not possible; a chord is held for a second to {longest:g} minutes"
        )
    return found


def seconds(text: str) -> float:
    """Seconds from a number or minutes:seconds.

    >>> seconds("3:40"), seconds("12.5")
    (220.0, 12.5)
    """
    before, _, rest = text.rpartition(":")
    try:
        found = 60.0 * float(before or 0) + float(rest)
    except ValueError:
        found = math.nan
    if not 0.0 <= found <= LONGEST_SCORE:
        raise argparse.ArgumentTypeError(
            f"{text[:20]!r} is not a time; write seconds or minutes:seconds"
        )
    return found
