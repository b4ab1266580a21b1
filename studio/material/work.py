"""What workers do with material, so that what plays does not wait for it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

from caligo.material import cutting
from caligo.material.cards import RecordingCard
from caligo.material.loops import FoundLoop, find_loops
from caligo.material.reading import MaterialError
from caligo.material.shelf import Recording, current, shelf_of
from studio.workers import takers

MISSING = "this recording is no longer on the shelf, or its file is damaged"


def in_a_worker(task: str, *arguments: Any) -> Any:
    """The one result of a task of this module, computed by a worker.

    Raises
    ------
    MaterialError
        Whatever the task raised.
    """
    worker = takers.borrow()
    assert worker is not None
    folders = [str(folder) for folder in current().folders]
    try:
        results = list(worker.run(f"studio.material.work:{task}", folders, *arguments))
    finally:
        takers.give_back(worker)
    return results[0]


def _recording(folders: list[str], key: str) -> Recording:
    found = shelf_of(folders).recording(key)
    if found is None:
        raise MaterialError(MISSING)
    return found


def take_in(
    folders: list[str],
    path: Path,
    name: str,
    origin: str,
    called: str,
    *,
    interrupted: Callable[[], bool],
) -> Iterator[tuple[RecordingCard, bool]]:
    """Take a file in; its card, and whether it was new."""
    yield shelf_of(folders).add_recording(path, name, origin, called)


def loops(
    folders: list[str], key: str, *, interrupted: Callable[[], bool]
) -> Iterator[list[FoundLoop]]:
    """Loops of a recording, the best first."""
    held = _recording(folders, key)
    yield find_loops(held.samples, held.rate)


def cut(
    folders: list[str],
    key: str,
    way: str,
    hertz: float,
    frames: int,
    *,
    interrupted: Callable[[], bool],
) -> Iterator[cutting.Spectra]:
    """A table cut of a recording."""
    held = _recording(folders, key)
    by = cutting.by_cycles if way == "cycles" else cutting.by_spectrum
    yield by(held.samples, held.rate, hertz, frames)
