"""Long recordings: arrays that stay on disk and are gone through piece by piece.

What is longer than `LONGEST_IN_MEMORY` is decoded once into a plain file of samples, which is
mapped: whoever reads it looks at an ordinary array, and only what is looked at is in memory.
"""

from __future__ import annotations

import mmap
import os
import threading
from collections.abc import Iterator
from pathlib import Path
from types import TracebackType
from typing import Any

import numpy as np
from numpy.lib import format as npy
from numpy.typing import NDArray

Samples = NDArray[np.float32]

LONGEST_IN_MEMORY = 32 << 20
"""Bytes of samples that are held in memory; longer recordings stay on disk."""
PIECE = 1 << 18
"""Frames that are gone through at a time."""


def is_long(frames: int, channels: int) -> bool:
    """Whether a recording stays on disk."""
    return 4 * frames * channels > LONGEST_IN_MEMORY


def beside(place: Path | None, ending: str) -> Path | None:
    """A file made of a long recording, whose files are kept at `place`; none for a short one."""
    return None if place is None else place.with_name(place.name + ending)


class ArrayFile:
    """A file of samples ``[channels, frames]`` that is written piece by piece.

    It appears under its name only when it is whole.
    """

    def __init__(self, path: Path, channels: int, frames: int) -> None:
        self._path = path
        self._frames = frames
        path.parent.mkdir(parents=True, exist_ok=True)
        self._scratch = path.with_name(f".{path.name}.{os.getpid()}.{threading.get_ident()}")
        self._file = self._scratch.open("wb")
        shape = {"descr": "<f4", "fortran_order": False, "shape": (channels, frames)}
        npy.write_array_header_1_0(self._file, shape)
        self._first = self._file.tell()
        self._file.truncate(self._first + 4 * channels * frames)

    def write(self, at: int, piece: Samples, channel: int = 0) -> None:
        """Write a piece ``[channels, frames]`` from a frame on, from a channel on."""
        for row, values in enumerate(piece):
            self._file.seek(self._first + 4 * ((channel + row) * self._frames + at))
            self._file.write(np.ascontiguousarray(values, dtype="<f4").tobytes())

    def __enter__(self) -> ArrayFile:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self._file.close()
        if kind is None:
            self._scratch.replace(self._path)
        else:
            self._scratch.unlink(missing_ok=True)


def mapped(path: Path) -> Samples:
    """The samples of a file ``[channels, frames]``, as an array that is read where it is looked at.

    What is written to it stays in memory alone; kernels see the array that they know.
    """
    found: Samples = np.load(path, mmap_mode="c").view(np.ndarray)
    return found


class RowFile:
    """An array ``[rows, values]`` that is filled a few rows at a time, in memory or in a file.

    Parameters
    ----------
    path
        The file that holds it, which appears when it is whole; none to hold it in memory.
    """

    def __init__(self, path: Path | None, rows: int, values: int) -> None:
        self._path = path
        self._file = None if path is None else ArrayFile(path, rows, values)
        self._held: Samples = np.empty((0 if path else rows, values), np.float32)

    def write(self, first: int, rows: NDArray[Any]) -> None:
        """Fill `rows` ``[some, values]``, from the row `first` on."""
        if self._file is None:
            self._held[first : first + len(rows)] = rows
        else:
            self._file.write(0, rows, first)

    @property
    def array(self) -> Samples:
        """The whole array ``[rows, values]``, once it has been left."""
        return self._held if self._path is None else mapped(self._path)

    def __enter__(self) -> RowFile:
        return self

    def __exit__(self, *error: Any) -> None:
        if self._file is not None:
            self._file.__exit__(*error)


def let_go(samples: NDArray[Any]) -> None:
    """Let go of what has been looked at of a mapped array ``[...]``; nothing of it is lost."""
    base: Any = samples
    while base is not None and not isinstance(base, mmap.mmap):
        base = getattr(base, "base", None)
    if base is not None and hasattr(mmap, "MADV_DONTNEED"):
        base.madvise(mmap.MADV_DONTNEED)


def pieces(samples: Samples, size: int = PIECE) -> Iterator[tuple[int, Samples]]:
    """A recording piece by piece: the first frame of each, and its samples ``[channels, n]``."""
    for at in range(0, samples.shape[1], size):
        yield at, samples[:, at : at + size]
        let_go(samples)


def stretch(samples: Samples, first: int, size: int) -> NDArray[np.float64]:
    """Both sides together of a stretch ``[size]``, silent outside the recording."""
    out = np.zeros(size)
    low, high = max(0, first), min(samples.shape[1], first + size)
    if high > low:
        out[low - first : high - first] = samples[:, low:high].mean(axis=0, dtype=np.float64)
        let_go(samples)
    return out


def powers(samples: Samples, size: int) -> NDArray[np.float64]:
    """The mean square of each stretch of `size` frames, over all channels ``[stretches]``."""
    step = max(1, PIECE // size) * size
    found = []
    for _, piece in pieces(samples, step):
        whole = piece[:, : piece.shape[1] // size * size].astype(np.float64)
        found.append(np.mean(whole.reshape(len(piece), -1, size) ** 2, axis=(0, 2)))
    return np.concatenate(found) if found else np.zeros(0)
