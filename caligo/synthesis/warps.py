"""Phase warps of a wavetable: a cycle read at a bent pace.

A warped cycle is a cycle again. It is worked out at the borders of cells of time, cut off below
half the sample rate there, and played like any other: no warp folds, however sharp.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from caligo.catalogue import Choice
from caligo.kernels import device, kernel
from caligo.movement.notes import Floats
from caligo.signal import fourier
from caligo.synthesis.source import VOICE_RMS
from caligo.synthesis.tables import Table

CELL = 16
"""Control ticks between two warped cycles; between them they fade into each other."""
FINE = 4096
"""Points at which a warped cycle is worked out, before it is cut off.

What a sharp warp folds there lands on other partials of the same cycle, far below them.
"""
MOST_PARTIALS = 1_024
WARPS = (
    Choice("none", "None"),
    Choice("bend", "Bend"),
    Choice("pulse", "Pulse width"),
    Choice("sync", "Hard sync"),
    Choice("self", "By itself"),
)
BEND, PULSE, SYNC, SELF = 1, 2, 3, 4
SHARPEST = 0.95
MOST_SYNC = 7.0
"""By how much of its frequency a synced cycle is raised at most."""
HIGHEST_SYNCED = 0.45
"""The highest frequency of a synced cycle, as a fraction of the sample rate."""


@device
def _read(first: np.ndarray, second: np.ndarray, fraction: float, place: float) -> float:
    """A value between two cycles ``[samples + 1]``, at a place in cycles."""
    length = len(first) - 1
    x = (place - math.floor(place)) * length
    i = min(int(x), length - 1)
    f = x - i
    a = first[i] + f * (first[i + 1] - first[i])
    b = second[i] + f * (second[i + 1] - second[i])
    return float(a + fraction * (b - a))


@device
def warp(
    first: np.ndarray,
    second: np.ndarray,
    fraction: float,
    kind: int,
    amount: float,
    out: np.ndarray,
) -> None:
    """A warped cycle ``[FINE]`` of what lies between two cycles ``[samples + 1]``.

    `amount` runs from -1 to 1; only the bend tells its sides apart.
    """
    size = abs(amount)
    middle = 0.5 - 0.5 * SHARPEST * amount
    width = 1.0 - SHARPEST * size
    faster = 1.0 + MOST_SYNC * size
    for n in range(FINE):
        t = n / FINE
        if kind == BEND:
            place = 0.5 * t / middle if t < middle else 0.5 + 0.5 * (t - middle) / (1.0 - middle)
        elif kind == PULSE:
            place = t / width if t < width else 0.0
        elif kind == SYNC:
            place = t * faster
        else:
            # At VOICE_RMS a sine has 0.1 for its amplitude; full depth is half a cycle.
            place = t + size * 5.0 * _read(first, second, fraction, t)
        out[n] = _read(first, second, fraction, place)


def warped(
    table: Table, positions: Floats, kind: int, amounts: Floats, steps: Floats, samples: int
) -> NDArray[np.float32]:
    """A warped cycle for each moment ``[moments, samples + 1]``.

    Parameters
    ----------
    positions
        Moments numbers ``[moments]``.
    amounts
        From -1 to 1 ``[moments]``.
    steps
        The fastest that each cycle will be played, in cycles per sample ``[moments]``.
    samples
        Of a cycle.
    """
    if kind == SYNC:
        # Raised beyond what the rate holds, nothing would be heard of it.
        most = np.maximum(HIGHEST_SYNCED / np.maximum(steps, 1e-9) - 1.0, 0.0) / MOST_SYNC
        amounts = np.clip(amounts, -most, most)
    partials = np.clip((0.5 / np.maximum(steps, 1e-9)).astype(np.int64), 1, MOST_PARTIALS)
    now = np.stack([positions, amounts, partials.astype(np.float64)], axis=1)
    # Cycles that are like the one before are not worked out again.
    fresh = np.ones(len(now), bool)
    fresh[1:] = np.any(now[1:] != now[:-1], axis=1)
    # Half as wide as positions are: what its transforms round off lies 130 dB down.
    fine = np.empty((int(fresh.sum()), FINE), np.float32)
    warp_all(table.level(), positions[fresh], amounts[fresh], table.frames, kind, fine)
    cycles = np.empty((len(fine), samples + 1), np.float32)
    cycles[:, :samples] = _cut_off(fine, partials[fresh], samples)
    cycles[:, samples] = cycles[:, 0]
    found: NDArray[np.float32] = cycles[np.cumsum(fresh) - 1]
    return found


@kernel("f4[:, ::1], f8[::1], f8[::1], i8, i8, f4[:, ::1]")
def warp_all(
    cycles: np.ndarray,
    positions: np.ndarray,
    amounts: np.ndarray,
    frames: int,
    kind: int,
    out: np.ndarray,
) -> None:
    """`warp` at every moment ``[moments, FINE]``, from a table's ``[frames, samples + 1]``."""
    for m in range(len(positions)):
        first = min(int(positions[m]), frames - 1)
        second = min(first + 1, frames - 1)
        warp(cycles[first], cycles[second], positions[m] - first, kind, amounts[m], out[m])


@kernel("c8[:, ::1], i8[::1], f8[::1]")
def _keep_first(spectra: np.ndarray, partials: np.ndarray, level: np.ndarray) -> None:
    """Leave the first partials of spectra ``[cycles, bins]``, and find what levels each.

    `level` ``[cycles]`` receives the factor that brings a cycle to a voice's level.
    """
    for m in range(spectra.shape[0]):
        total = 0.0
        spectra[m, 0] = 0.0
        for k in range(1, partials[m] + 1):
            total += spectra[m, k].real ** 2 + spectra[m, k].imag ** 2
        for k in range(partials[m] + 1, spectra.shape[1]):
            spectra[m, k] = 0.0
        power = 2.0 * total / FINE**2
        level[m] = VOICE_RMS / math.sqrt(power) if power > 1e-12 else 1.0


def _cut_off(
    fine: NDArray[np.float32], partials: NDArray[np.int64], samples: int
) -> NDArray[np.float32]:
    """Cycles ``[cycles, samples]`` with their first partials alone, at a voice's level."""
    spectra = np.ascontiguousarray(fourier.rfft(fine, axis=1)[:, : MOST_PARTIALS + 1])
    level = np.empty(len(fine))
    _keep_first(spectra, partials, level)
    found: NDArray[np.float32] = fourier.irfft(spectra, samples, axis=1, overwrite_x=True)
    found *= (level * (samples / FINE))[:, None].astype(np.float32)
    return found
