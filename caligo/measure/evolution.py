"""How much a sound changes within seconds, within tens of seconds and within minutes.

What is compared is the shape of the spectrum: levels in thirds of octaves (IEC 61260-1), each with
its neighbours, against the level of the whole, so that a fade is no change. Levels are means over
windows, and what differs from one window to the next is taken off what differs over longer times:
noise and the beating of a unison differ from window to window as much as ever after, and count for
nothing, while what moves on differs the more the longer one waits (the structure function of a
random process, Kolmogorov 1941). Several times are compared on each scale, so that a movement whose
period is one of them is seen by the others.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

HOP = 0.25
"""Seconds of the shortest windows."""
LOWEST, BANDS = 40.0, 26
"""Hertz of the lowest third of an octave, and how many there are: up to 12.7 kHz."""
HEARD = 40.0
"""Decibels below the loudest band within which a band counts."""
SILENT = 1e-10
"""Mean square below which nothing is heard."""
SCALES = {
    "seconds": (2, (4, 6, 10, 14)),
    "tens": (12, (28, 40, 58, 82, 114)),
    "minutes": (60, (180, 260, 390, 560)),
}
"""Of each scale the length of a window and the times that are compared, in hops: windows of 0.5, 3
and 15 s, and times of 1 to 3.5 s, 7 to 28.5 s and 45 s to 2 min 20 s."""


@dataclass(frozen=True, slots=True)
class Evolution:
    """Mean change of a band's level in dB on three scales; 0 where the sound is too short."""

    seconds: float
    tens: float
    minutes: float

    @property
    def most(self) -> float:
        """The largest of the three."""
        return max(self.seconds, self.tens, self.minutes)


class EvolutionMeter:
    """Evolution of a stereo signal that arrives in pieces."""

    def __init__(self, rate: int) -> None:
        self._hop = round(rate * HOP)
        self._window = np.hanning(2 * self._hop)
        edges = LOWEST * 2.0 ** ((np.arange(BANDS + 1) - 0.5) / 3.0)
        self._edges = np.minimum(np.ceil(edges * 2 * self._hop / rate), self._hop).astype(int)
        self._rest = np.zeros((2, 0), np.float32)
        self._powers: list[Floats] = []

    def add(self, signal: NDArray[np.float32]) -> None:
        """Take in `signal` ``[2, samples]``."""
        joined = np.concatenate([self._rest, signal], axis=1)
        while joined.shape[1] >= 2 * self._hop:
            spectrum = np.fft.rfft(joined[:, : 2 * self._hop] * self._window, axis=1)
            power = np.cumsum(np.append(0.0, (np.abs(spectrum) ** 2).sum(axis=0)))
            self._powers.append(np.diff(power[self._edges]) / (2 * self._hop) ** 2)
            joined = joined[:, self._hop :]
        self._rest = joined

    def finish(self) -> Evolution:
        """The evolution of everything taken in."""
        powers = np.array(self._powers).reshape(-1, BANDS)
        powers = powers[powers.sum(axis=1) > SILENT]
        return Evolution(**{
            name: changed(powers, window, times) for name, (window, times) in SCALES.items()
        })  # fmt: skip


def changed(powers: Floats, window: int, times: tuple[int, ...]) -> float:
    """By how many dB bands differ over `times`, beyond what differs from window to window.

    Parameters
    ----------
    powers
        Of bands at hops ``[hops, BANDS]``.
    window, times
        The length of a window and the times that are compared, in hops.
    """
    if len(powers) < window + times[0]:
        return 0.0
    sums = np.cumsum(np.vstack([np.zeros(BANDS), powers]), axis=0)
    means = np.maximum(sums[window:] - sums[:-window], 0.0) / window
    wide = means.copy()
    wide[:, 1:] += means[:, :-1]
    wide[:, :-1] += means[:, 1:]
    shape = 10.0 * np.log10(wide / means.sum(axis=1, keepdims=True) + 1e-12)
    apart = [differing(shape, time) for time in times if time < len(shape) - 1]
    between = differing(shape, window)
    return math.sqrt(max(float(np.mean(np.square(apart))) - between**2, 0.0))


def differing(shape: Floats, time: int) -> float:
    """The mean difference of bands' levels ``[hops, BANDS]`` that lie a time apart, in dB."""
    before, after = shape[:-time], shape[time:]
    floor = np.maximum(before, after).max(axis=1, keepdims=True) - HEARD
    counted = np.maximum(before, after) > floor
    change = np.abs(np.maximum(before, floor) - np.maximum(after, floor))
    return float((change * counted).sum() / max(counted.sum(), 1))
