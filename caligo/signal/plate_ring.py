"""The ring of a plate: two halves that feed each other, a tick at a time.

Source: see `caligo.effects.plate`. What is read of the lines is ``[TICK]``.
"""

from __future__ import annotations

import math

import numpy as np

from caligo.kernels import device
from caligo.signal.arrays import copy
from caligo.signal.delay_line import read_going
from caligo.signal.silence import DEAD
from caligo.signal.ticks import TICK


@device
def sway(
    signal: np.ndarray,
    line: np.ndarray,
    at: int,
    length: np.ndarray,
    gain: np.ndarray,
    held: np.ndarray,
) -> None:
    """An all-pass whose length and gain move, over a tick: `signal` ``[TICK]`` in place.

    Both ``[2]`` are those at the tick's beginning and end.
    """
    read_going(line, at, length[0], length[1], held)
    here = at & (len(line) - 1)
    g, step = np.float32(gain[0]), np.float32((gain[1] - gain[0]) / TICK)
    for n in range(TICK):
        inner = signal[n] + g * held[n]
        line[here + n] = inner if abs(inner) > np.float32(DEAD) else np.float32(0.0)
        signal[n] = held[n] - g * inner
        g += step


@device(allocates=True)
def go_round(
    fed: np.ndarray,
    back: np.ndarray,
    line: np.ndarray,
    low: float,
    here: int,
    lengths: np.ndarray,
    gains: np.ndarray,
    kept: np.ndarray,
    dark: np.ndarray,
    half: np.ndarray,
    held: np.ndarray,
) -> float:
    """A tick through all of a half but its last line's end.

    Parameters
    ----------
    fed, back
        What comes in, and what the other half gives ``[TICK]``.
    line
        Rings of the half's parts ``[4, size]``.
    lengths
        Samples of the parts at the tick's beginning and end ``[4, 2]``.
    gains
        What both all-passes give back, at beginning and end ``[2, 2]``.
    kept, dark
        What is left of what has gone round half, and the one-pole coefficient, at beginning and end
        ``[2]``.
    half, held
        Room to work in ``[TICK]``.
    """
    inside = here & (line.shape[1] - 1)
    for n in range(TICK):
        half[n] = fed[n] + back[n]
    sway(half, line[0], here, lengths[0], gains[0], held)
    copy(half, line[1, inside : inside + TICK])
    read_going(line[1], here, lengths[1, 0], lengths[1, 1], half)
    for n in range(TICK):
        x = n / TICK
        low += (dark[0] + (dark[1] - dark[0]) * x) * (half[n] - low)
        half[n] = (kept[0] + (kept[1] - kept[0]) * x) * low
    sway(half, line[2], here, lengths[2], gains[1], held)
    for n in range(TICK):
        line[3, inside + n] = half[n] if abs(half[n]) > np.float32(DEAD) else np.float32(0.0)
    return low if abs(low) > DEAD else 0.0


@device
def gather_along(
    rings: np.ndarray,
    taps: np.ndarray,
    here: int,
    samples: float,
    to_samples: float,
    heard: np.ndarray,
    tap: np.ndarray,
) -> None:
    """What is heard along the ring on either channel, into `heard` ``[2, TICK]``.

    `samples` are those of a second, stretched by the size, at the tick's beginning and end.
    """
    heard[:] = np.float32(0.0)
    for c in range(2):
        for t in range(taps.shape[1]):
            half, part = int(taps[c, t, 0]), int(taps[c, t, 1])
            away, end = taps[c, t, 2] * samples, taps[c, t, 2] * to_samples
            read_going(rings[half, part + 1], here, max(away, 2.0), max(end, 2.0), tap)
            sign = np.float32(taps[c, t, 3])
            for n in range(TICK):
                heard[c, n] += sign * tap[n]


@device
def softened(gain: float, seconds: float, decay: float) -> float:
    """An all-pass's gain, less where it would ring for most of the decay by itself."""
    return math.copysign(min(abs(gain), 10.0 ** (-4.0 * seconds / decay)), gain)
