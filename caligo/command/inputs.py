"""What the command is given: sounds by file or demo name, scores by file or chord."""

from __future__ import annotations

import argparse
import json
from pathlib import Path
from typing import Any

from caligo.document import DocumentError, Score, Sound, read_score, read_sound
from caligo.document.held import held_chord
from caligo.document.pitch import PitchError
from caligo.formats.midi import MidiError, read_midi

DEMO_FOLDER = Path(__file__).resolve().parents[2] / "demo" / "sounds"


class InputError(ValueError):
    """Something given to the command that cannot be used, said for a person."""


def read_json(path: Path) -> Any:
    """The JSON in a file."""
    try:
        return json.loads(path.read_text())
    except OSError as error:
        raise InputError(f"{path} cannot be read: {error.strerror}") from None
    except (json.JSONDecodeError, UnicodeDecodeError) as error:
        raise InputError(f"{path} is not JSON: {error}") from None


def demo_sounds() -> dict[str, Path]:
    """The demo sounds' files by name."""
    found = {}
    for path in sorted(DEMO_FOLDER.glob("*.json")):
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


def score_from(arguments: argparse.Namespace) -> Score:
    """The score given by ``--score``, or a chord held for ``--minutes``."""
    try:
        if arguments.score:
            path = Path(arguments.score)
            if path.suffix.lower() in (".mid", ".midi"):
                return read_midi(path.read_bytes(), path.name)
            return read_score(read_json(path))
        return held_chord(arguments.chord, arguments.minutes * 60.0)
    except (PitchError, MidiError, DocumentError) as error:
        raise InputError(str(error)) from None
    except ValueError as error:
        raise InputError(f"the score is not possible: {error}") from None
    except OSError as error:
        raise InputError(f"{arguments.score} cannot be read: {error.strerror}") from None


def add_score_arguments(parser: argparse.ArgumentParser) -> None:
    """The arguments that `score_from` reads."""
    parser.add_argument("--score", help="a score as JSON, or a Standard MIDI File")
    parser.add_argument("--chord", default="C2 G2 D3 A3", help="notes or chord symbols to hold")
    parser.add_argument("--minutes", type=float, default=4.0, help="how long to hold them")


def seconds(text: str) -> float:
    """Seconds from a number or minutes:seconds.

    >>> seconds("3:40"), seconds("12.5")
    (220.0, 12.5)
    """
    minutes, _, rest = text.rpartition(":")
    try:
        return 60.0 * float(minutes or 0) + float(rest)
    except ValueError:
        raise argparse.ArgumentTypeError(
            f"{text!r} is not a time; write seconds or minutes:seconds"
        ) from None
