"""How sources draw on material: which recording they play, and reading it at any speed."""

from __future__ import annotations

import math

import numpy as np
from numba import njit
from numpy.typing import NDArray

from caligo.catalogue import Kind, Parameter
from caligo.document.sound import Part
from caligo.material.recording import Recording
from caligo.material.shelf import current

TAPS = 16
PHASES = 512


def recording_parameter(help: str) -> Parameter:
    """Which recording is played."""
    return Parameter(
        "recording", "Recording", help, default="", kind=Kind.REFERENCE, of="recording"
    )


def follow_parameter() -> Parameter:
    """Whether the key decides the pitch."""
    return Parameter(
        "follow",
        "Follow the key",
        "Transposed by the key from the recording's root, or always as recorded.",
        default=True,
        kind=Kind.SWITCH,
    )


def recording_of(part: Part) -> Recording | None:
    """The recording that a part names, or None while it names none that is there."""
    key = part.text("recording")
    return current().recording(key) if key else None


def _kernel() -> NDArray[np.float32]:
    """Windowed sincs ``[PHASES + 1, TAPS]`` for reading between samples.

    A Kaiser window of beta 8 over sixteen taps, cut at 0.92 of half the sample rate (Smith and
    Gossett, "A flexible sampling-rate conversion method", ICASSP 1984).
    """
    phase = np.arange(PHASES + 1)[:, None] / PHASES
    at = np.arange(TAPS)[None, :] - (TAPS // 2 - 1) - phase
    inside = np.clip(1.0 - (at / (TAPS / 2)) ** 2, 0.0, None)
    taps = 0.92 * np.sinc(0.92 * at) * np.i0(8.0 * np.sqrt(inside)) / np.i0(8.0)
    found: NDArray[np.float32] = (taps / taps.sum(axis=1, keepdims=True)).astype(np.float32)
    return found


SINCS = _kernel()


@njit(cache=True, nogil=True)
def read_at(
    flat: np.ndarray, begin: int, frames: int, sincs: np.ndarray, place: float
) -> np.float32:
    """A recording's value between its samples; silent outside of it.

    Parameters
    ----------
    flat, begin, frames
        One side of a `caligo.material.pyramid.Pyramid` ``[samples]``: where a copy begins, and
        its length.
    place
        In the copy's samples.
    """
    if place <= -7.0 or place >= frames + 7.0:
        return np.float32(0.0)
    i = math.floor(place)
    x = (place - i) * PHASES
    j = int(x)
    f = np.float32(x - j)
    total = np.float32(0.0)
    first = begin + int(i) - (TAPS // 2 - 1)
    for k in range(TAPS):
        tap = sincs[j, k] + f * (sincs[j + 1, k] - sincs[j, k])
        total += tap * flat[first + k]
    return total


@njit(cache=True, nogil=True)
def level_for(speed: float, levels: int) -> tuple[int, float]:
    """The copy to read at a speed in samples per sample, and how much of the next it takes."""
    x = 2.0 * math.log2(max(speed, 1.0))
    level = min(int(x), levels - 1)
    if level >= levels - 1:
        return level, 0.0
    return level, x - level
