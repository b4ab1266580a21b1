"""Between layers: ring and phase modulation by a sine at a ratio, or by another layer's voices.

Ring modulation multiplies; phase modulation reads the voice earlier and later than now. For a
periodic wave of frequency f, a shift in time by p / f seconds is a shift in phase by p cycles, so
this is phase modulation in the textbook's sense for every kind of source.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from caligo.document.sound import Layer, Sound
from caligo.signal.ticks import TICK

LONGEST = 4096
"""Samples by which a phase-modulated voice may be late: 85 ms at 48 kHz."""
MARGIN = 4
"""Samples that interpolation needs on either side."""


def named_modulators(sound: Sound, layer: Layer) -> list[Layer]:
    """The layers that modulate `layer`, not counting muted ones, nor what modulates those."""
    by_id = {other.id: other for other in sound.layers}
    named = [
        layer.text(f"{way}_layer")
        for way in ("ring", "phase")
        if layer.text(f"{way}_by") == "layer"
    ]
    found = [by_id[name] for name in dict.fromkeys(named) if name in by_id]
    return [other for other in found if not other.mute]


def all_modulators(sound: Sound, layer: Layer) -> list[Layer]:
    """Every layer that `layer` depends on, through any number of others."""
    found: list[Layer] = []
    waiting = named_modulators(sound, layer)
    while waiting:
        other = waiting.pop()
        if other not in found:
            found.append(other)
            waiting += named_modulators(sound, other)
    return found


@njit(cache=True, nogil=True)
def sine_at(cycles: np.ndarray, ratio: float, out: np.ndarray) -> None:
    """A sine at `ratio` times a pitch, from cycles at every tick ``[ticks + 1]``."""
    for k in range(len(cycles) - 1):
        phase = cycles[k] * ratio
        phase -= math.floor(phase)
        step = (cycles[k + 1] - cycles[k]) * ratio / TICK
        for n in range(TICK):
            out[k * TICK + n] = math.sin(2.0 * math.pi * (phase + n * step))


@njit(cache=True, nogil=True)
def ring(signal: np.ndarray, by: np.ndarray, amount: np.ndarray) -> None:
    """Multiply a voice ``[2, samples]`` by `by` ``[samples]``, as far as `amount` says.

    `amount` runs from 0, untouched, to 1, at every tick ``[ticks + 1]``.
    """
    for k in range(len(amount) - 1):
        a = np.float32(amount[k])
        step = np.float32((amount[k + 1] - amount[k]) / TICK)
        for n in range(TICK):
            i = k * TICK + n
            share = a + np.float32(n) * step
            factor = np.float32(1.0) - share + share * by[i]
            signal[0, i] *= factor
            signal[1, i] *= factor


@njit(cache=True, nogil=True)
def shift_phase(
    line: np.ndarray, signal: np.ndarray, by: np.ndarray, reach: np.ndarray, late: int
) -> None:
    """Read a voice earlier and later than now.

    Parameters
    ----------
    line
        What came before ``[2, 2 * late + 2 * MARGIN]``; it is brought up to date.
    signal
        The voice ``[2, samples]``, replaced.
    by
        The modulating wave in [-1, 1] ``[samples]``.
    reach
        Samples of shift at full modulation, at every tick ``[ticks + 1]``.
    late
        By how many samples the outcome is late, at least the largest shift.
    """
    before = line.shape[1]
    samples = signal.shape[1]
    whole = np.empty(before + samples, np.float32)
    for c in range(2):
        whole[:before] = line[c]
        whole[before:] = signal[c]
        line[c] = whole[samples:]
        for k in range(len(reach) - 1):
            step = (reach[k + 1] - reach[k]) / TICK
            for n in range(TICK):
                i = k * TICK + n
                way = (reach[k] + n * step) * by[i]
                way = min(max(way, -late), late)
                place = before + i - late - MARGIN + way
                j = int(place)
                f = np.float32(place - j)
                a, b, d, e = whole[j - 1], whole[j], whole[j + 1], whole[j + 2]
                # The cubic through four points (Lagrange).
                c1 = d - a / np.float32(3.0) - b * np.float32(0.5) - e / np.float32(6.0)
                c2 = np.float32(0.5) * (a + d) - b
                c3 = (e - a) / np.float32(6.0) + np.float32(0.5) * (b - d)
                signal[c, i] = b + f * (c1 + f * (c2 + f * c3))
