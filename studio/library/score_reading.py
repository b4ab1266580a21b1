"""What a worker does to read a score: files from outside are not parsed where sound plays."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from caligo.document import Score
from caligo.formats.midi import read_midi


def read(data: bytes, name: str, *, interrupted: Callable[[], bool]) -> Iterator[Score]:
    """The score in a Standard MIDI File.

    Raises
    ------
    MidiError
    """
    yield read_midi(data, name)
