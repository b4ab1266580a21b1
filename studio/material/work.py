"""What workers do with material, so that what plays does not wait for it."""

from __future__ import annotations

import errno
import os
import shutil
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import soundfile
from numpy.typing import NDArray

from caligo.document.pitch import frequency
from caligo.material import cutting, overview
from caligo.material.cards import RecordingCard
from caligo.material.long import pieces
from caligo.material.loops import FoundLoop, find_loops
from caligo.material.reading import MaterialError
from caligo.material.recording import Recording
from caligo.material.store import current, store_of
from studio.progress import with_progress
from studio.workers import Worker, takers

Row = NDArray[np.float32]
LEAST_FREE = 1 << 20
"""Bytes free below which a disk is full, whatever a library says."""
CANCELLED = "it was cancelled"
MISSING = "this recording is no longer in the library, or its file is damaged"


@dataclass(slots=True)
class Job:
    """Something that a page waits for, and may cancel."""

    progress: float = 0.0
    cancelled: bool = False
    worker: Worker | None = None


_jobs: dict[str, Job] = {}


def job(name: str) -> Job | None:
    """The job of a name, while it is under method."""
    return _jobs.get(name)


def cancel(name: str) -> None:
    """Stop a job, if it is under method."""
    found = _jobs.get(name)
    if found is not None:
        found.cancelled = True
        if found.worker is not None:
            found.worker.stop()


def in_a_worker(task: str, *arguments: Any, name: str = "") -> Any:
    """The last result of a task of this module, by a worker; numbers before it are progress.

    Parameters
    ----------
    name
        The name of the job, by which its fraction is asked for and by which it is cancelled.

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
    folders = [str(folder) for folder in current().directories]
    result: Any = None
    try:
        for result in worker.run(f"studio.material.work:{task}", folders, *arguments):
            if isinstance(result, float):
                here.progress = result
            if here.cancelled:
                worker.stop()
    finally:
        _jobs.pop(name, None)
        takers.give_back(worker)
    if here.cancelled:
        raise MaterialError(CANCELLED)
    return result


def _recording(folders: list[str], key: str) -> Recording:
    found = store_of(folders).recording(key)
    if found is None:
        raise MaterialError(MISSING)
    return found


def take_in(
    folders: list[str],
    path: Path,
    name: str,
    origin: str,
    called: str,
    take: str = "",
    *,
    interrupted: Callable[[], bool],
) -> Iterator[float | tuple[RecordingCard, bool]]:
    """Import a file: progress, then its card, and whether it was new."""
    yield from with_progress(
        lambda progress: store_of(folders).add_recording(
            path, name, origin, called, take=take, progress=progress, interrupted=interrupted
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
    method: str,
    root: float | None,
    frames: int,
    *,
    interrupted: Callable[[], bool],
) -> Iterator[tuple[cutting.Spectra, float]]:
    """A table cut of a recording at a key, its own if none is given; and the pitch in Hz."""
    held = _recording(folders, key)
    hertz = frequency(held.root if root is None else root)
    by = cutting.by_cycles if method == "cycles" else cutting.by_spectrum
    yield by(held.samples, held.rate, hertz, frames), hertz


def cut_picture(
    folders: list[str], path: Path, name: str, frames: int, *, interrupted: Callable[[], bool]
) -> Iterator[cutting.Spectra]:
    """A table cut of a picture."""
    yield cutting.by_picture(path, name, frames)


def outline(
    folders: list[str],
    key: str,
    start: float,
    end: float,
    columns: int,
    *,
    interrupted: Callable[[], bool],
) -> Iterator[tuple[Row, Row, float]]:
    """The outline of a stretch, and the recording's length in seconds."""
    held = _recording(folders, key)
    seconds = held.frames / held.rate
    low, high = overview.outline(held.samples, held.rate, start, min(end, seconds), columns)
    yield low, high, seconds


def spectrogram(
    folders: list[str],
    key: str,
    start: float,
    end: float,
    columns: int,
    rows: int,
    *,
    interrupted: Callable[[], bool],
) -> Iterator[bytes]:
    """Levels of a stretch as bytes."""
    held = _recording(folders, key)
    end = min(end, held.frames / held.rate)
    yield overview.spectrogram(held.samples, held.rate, start, end, columns, rows).tobytes()


def as_wav(
    folders: list[str], key: str, path: Path, *, interrupted: Callable[[], bool]
) -> Iterator[None]:
    """Write a recording as a WAV file of 16 bits, kept below full scale, piece by piece."""
    held = _recording(folders, key)
    loudest = max(float(np.abs(piece).max()) for _, piece in pieces(held.samples))
    channels = len(held.samples)
    try:
        with soundfile.SoundFile(path, "w", held.rate, channels, "PCM_16", format="WAV") as file:
            for _, piece in pieces(held.samples):
                file.write(piece.T / max(1.0, loudest))
    except (soundfile.LibsndfileError, RuntimeError) as error:
        # The library says that it could not write, but not why.
        if shutil.disk_usage(path.parent).free < LEAST_FREE:
            raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC), str(path)) from error
        raise
    yield None
