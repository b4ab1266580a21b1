"""``caligo material``: what is in the material library, taking in, and cutting tables."""

from __future__ import annotations

import argparse
import os
import sys
from pathlib import Path

from caligo.command.inputs import InputError, whole
from caligo.document.pitch import frequency
from caligo.material.cards import RecordingCard, TableCard
from caligo.material.cutting import by_cycles, by_picture, by_spectrum
from caligo.material.store import VARIABLE, MaterialStore, current

MOST_FRAMES = 128


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """``list``, ``add`` and ``cut``."""
    commands = parser.add_subparsers(required=True, metavar="WHAT")
    listing = commands.add_parser("list", help="everything in the library")
    listing.set_defaults(action=_list)
    add = commands.add_parser("add", help="take recordings in")
    add.add_argument("files", nargs="+", metavar="FILE")
    add.set_defaults(action=_add)
    cut = commands.add_parser("cut", help="make a wavetable of a recording or a PNG picture")
    cut.add_argument("what", help="a recording's key or name, or a PNG file")
    cut.add_argument("--way", choices=("cycles", "spectrum"), default="cycles")
    cut.add_argument("--frames", type=whole(1, MOST_FRAMES), default=32, metavar="N")
    cut.add_argument("--name", default="Cut table")
    cut.set_defaults(action=_cut)


def run(arguments: argparse.Namespace) -> None:
    """Do one of them."""
    arguments.action(arguments)


def _own_material() -> MaterialStore:
    """The material library, where it may be written to."""
    if not os.environ.get(VARIABLE):
        raise InputError(f"name the folder of your material in {VARIABLE}; it is made if missing")
    return current()


def _described(card: RecordingCard | TableCard) -> str:
    kind = "table" if isinstance(card, TableCard) else f"{card.frames / card.rate:.1f} s"
    return f"{card.key}  {card.name} ({kind})"


def _list(_: argparse.Namespace) -> None:
    for card in current().cards():
        print(_described(card))


def _add(arguments: argparse.Namespace) -> None:
    store = _own_material()
    for given in arguments.files:
        path = Path(given)
        if not path.is_file():
            raise InputError(f"{path} is not a file")
        card, fresh = store.add_recording(path, path.stem, f"imported from {path.name}")
        print(_described(card) if fresh else f"{_described(card)}, in the library already")


def find_recording(store: MaterialStore, given: str) -> RecordingCard:
    """The recording with a key or a name.

    Raises
    ------
    InputError
        If there is none, or several have the name.
    """
    held = [card for card in store.cards() if isinstance(card, RecordingCard)]
    found = [card for card in held if given == card.key] or [
        card for card in held if given.lower() == card.name.lower()
    ]
    if len(found) == 1:
        return found[0]
    if found:
        raise InputError(f"several are called {given!r}: {', '.join(c.key for c in found)}")
    names = ", ".join(sorted(card.name for card in held)) or "none is there"
    raise InputError(f"there is no recording {given[:80]!r} in the library; there are: {names}")


def _cut(arguments: argparse.Namespace) -> None:
    store, path = _own_material(), Path(arguments.what)
    if path.suffix.lower() == ".png":
        if not path.is_file():
            raise InputError(f"{path} is not a file")
        spectra = by_picture(path, path.name, arguments.frames)
        card = store.add_table(
            spectra, arguments.name, f"cut from the picture {path.name}", cut={"way": "picture"}
        )
    else:
        source = find_recording(store, arguments.what)
        held = store.recording(source.key)
        if held is None:
            raise InputError(f"the file of {source.name} is missing or damaged")
        hertz = frequency(held.root)
        method = by_cycles if arguments.method == "cycles" else by_spectrum
        spectra = method(held.samples, held.rate, hertz, arguments.frames)
        card = store.add_table(
            spectra,
            arguments.name,
            f"cut from {source.name} at {hertz:.1f} Hz",
            source=source.key,
            cut={"way": arguments.method, "frames": arguments.frames},
        )
    print(_described(card))
    print(f'  "source": {{"kind": "wavetable", "params": {{"table": "cut", "cut": "{card.key}"}}}}')
    sys.stdout.flush()
