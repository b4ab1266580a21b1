"""What workers do with material, so that what plays does not wait for it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from caligo.material import cutting
from caligo.material.cards import RecordingCard
from caligo.material.loops import FoundLoop, find_loops
from caligo.material.reading import MaterialError
from caligo.material.recording import Recording
from caligo.material.shelf import current, shelf_of
from studio.telling import told
from studio.workers import Worker, takers

CANCELLED = "it was cancelled"
MISSING = "this recording is no longer on the shelf, or its file is damaged"


@dataclass(slots=True)
class Job:
    """Something that a page waits for, and may cancel."""

    share: float = 0.0
    cancelled: bool = False
    worker: Worker | None = None


_jobs: dict[str, Job] = {}


def job(name: str) -> Job | None:
    """The job of a name, while it is under way."""
    return _jobs.get(name)


def cancel(name: str) -> None:
    """Stop a job, if it is under way."""
    found = _jobs.get(name)
    if found is not None:
        found.cancelled = True
        if found.worker is not None:
            found.worker.stop()


def in_a_worker(task: str, *arguments: Any, name: str = "") -> Any:
    """The last result of a task of this module, computed by a worker; numbers before it are shares.

    Parameters
    ----------
    name
        The name of the job, by which its share is asked for and by which it is cancelled.

    Raises
    ------
    MaterialError
        Whatever the task raised, or that it was cancelled.
    """
    here = Job()
    if name:
        _jobs[name] = here
    worker = takers.borrow(lambda: not here.cancelled)
    if worker is None:
        _jobs.pop(name, None)
        raise MaterialError(CANCELLED)
    here.worker = worker
    folders = [str(folder) for folder in current().folders]
    result: Any = None
    try:
        for result in worker.run(f"studio.material.work:{task}", folders, *arguments):
            if isinstance(result, float):
                here.share = result
    finally:
        _jobs.pop(name, None)
        takers.give_back(worker)
    if here.cancelled:
        raise MaterialError(CANCELLED)
    return result


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
) -> Iterator[float | tuple[RecordingCard, bool]]:
    """Take a file in: shares, then its card, and whether it was new."""
    yield from told(
        lambda progress: shelf_of(folders).add_recording(
            path, name, origin, called, progress=progress, interrupted=interrupted
        )
    )


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
