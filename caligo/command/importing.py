"""``caligo import``: MIDI to a score, SFZ with its samples to a sound."""

from __future__ import annotations

import argparse
import json
import os
import sys
from pathlib import Path

from caligo.command.inputs import InputError
from caligo.document import read_sound
from caligo.formats.midi import read_midi
from caligo.formats.sfz import read_sfz
from caligo.material.cards import RecordingCard
from caligo.material.instruments import base_name, zones_of
from caligo.material.store import VARIABLE, current

MOST_ZONES = 64
"""Zones that a sampler may have."""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Which file, and where to."""
    parser.add_argument("file", help="a .mid or .sfz file")
    parser.add_argument("-o", dest="output", metavar="OUT.json")


def run(arguments: argparse.Namespace) -> None:
    """Read a MIDI or SFZ file, and write a score or a sound."""
    path = Path(arguments.file)
    if not path.is_file():
        raise InputError(f"{path} is not a file")
    if path.suffix.lower() in (".mid", ".midi"):
        data = read_midi(path.read_bytes(), path.name).model_dump(mode="json")
    elif path.suffix.lower() == ".sfz":
        data = _sound_of(path)
    else:
        raise InputError(f"{path.name}: a .mid or .sfz file is wanted")
    text = json.dumps(data, indent=1) + "\n"
    if arguments.output:
        Path(arguments.output).write_text(text)
        print(f"{arguments.output}: written")
    else:
        sys.stdout.write(text)


def _sound_of(path: Path) -> dict[str, object]:
    """A sound whose one layer plays an SFZ file's zones; its samples are taken in."""
    if not os.environ.get(VARIABLE):
        raise InputError(f"name the folder for the samples in {VARIABLE}; it is made if missing")
    try:
        sfz = read_sfz(path.read_text("utf-8-sig"))
    except UnicodeDecodeError:
        raise InputError(f"{path.name} is not text; is it an SFZ file?") from None
    store = current()
    cards: dict[str, RecordingCard] = {}
    for sample in sorted({zone.sample for zone in sfz.zones}):
        file = path.parent / sample
        if file.is_file():
            origin = f"imported from {path.name}"
            cards[base_name(sample)], _ = store.add_recording(file, file.stem, origin)
    zones, skipped = zones_of(sfz, cards)
    if not zones:
        raise InputError(f"{path.name}: none of its samples lies beside it")
    for what, times in sorted(skipped.items()):
        print(f"skipped: {what[:80]} ({times})", file=sys.stderr)
    if len(zones) > MOST_ZONES:
        print(f"only the first {MOST_ZONES} of {len(zones)} zones are kept", file=sys.stderr)
    items = [
        {"id": f"zone{i + 1}", "kind": "zone", "params": zone}
        for i, zone in enumerate(zones[:MOST_ZONES])
    ]
    layer = {"id": "layer1", "name": path.stem[:80], "source": {"kind": "sampler", "items": items}}
    return read_sound({"name": path.stem[:80], "layers": [layer]}).as_document()
