"""A feedback delay network: sixteen lines that feed each other, a tick at a time.

Source: J.-M. Jot and A. Chaigne, "Digital delay networks for designing artificial
reverberators" (AES 1991): a line of d seconds has the gain 10^(-3 d / T60). The lines are mixed
by a Hadamard matrix, which loses no energy. Slow movement of the lines smears their resonances.

What has been read of the lines is ``[LINES, TICK]``.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from caligo.signal.delay_line import read_going
from caligo.signal.state_variable import DEAD
from caligo.signal.ticks import TICK

LINES = 16
SWAY = 0.00035
"""Seconds that the lines sway: enough to smear their modes, too little for a pitch change."""
DAMPED = 0.35
"""Decay at the damping corner as a share of that of the lows."""
LEAST_KEPT = 0.1
"""The least share of its energy that a pass of the lines is taken to leave: a space that has faded
before it first answers stays soft."""


@njit(cache=True, nogil=True)
def darken(held: np.ndarray, gain: np.ndarray, dark: np.ndarray, dull: np.ndarray) -> None:
    """The one-pole loss of every line over a tick, four abreast; `held` ``[LINES, TICK]`` in place.

    `gain` and `dark`, the losses, and `dull`, what they remember, are ``[LINES]``.
    """
    for i in range(0, LINES, 4):
        a, b, c, d = dull[i], dull[i + 1], dull[i + 2], dull[i + 3]
        for n in range(TICK):
            a = gain[i] * held[i, n] + dark[i] * a
            b = gain[i + 1] * held[i + 1, n] + dark[i + 1] * b
            c = gain[i + 2] * held[i + 2, n] + dark[i + 2] * c
            d = gain[i + 3] * held[i + 3, n] + dark[i + 3] * d
            held[i, n] = a
            held[i + 1, n] = b
            held[i + 2, n] = c
            held[i + 3, n] = d
        dull[i], dull[i + 1], dull[i + 2], dull[i + 3] = a, b, c, d
    for i in range(LINES):
        if abs(dull[i]) < DEAD:
            dull[i] = 0.0


@njit(cache=True, nogil=True)
def darken_moving(
    held: np.ndarray,
    gain: np.ndarray,
    dark: np.ndarray,
    to_gain: np.ndarray,
    to_dark: np.ndarray,
    dull: np.ndarray,
) -> None:
    """The same while decay or damping moves: loss and pole go over to others ``[LINES]``."""
    gain_step = (to_gain - gain) / np.float32(TICK)
    dark_step = (to_dark - dark) / np.float32(TICK)
    for i in range(0, LINES, 4):
        a, b, c, d = dull[i], dull[i + 1], dull[i + 2], dull[i + 3]
        for n in range(TICK):
            x = np.float32(n)
            a *= dark[i] + x * dark_step[i]
            b *= dark[i + 1] + x * dark_step[i + 1]
            c *= dark[i + 2] + x * dark_step[i + 2]
            d *= dark[i + 3] + x * dark_step[i + 3]
            a += (gain[i] + x * gain_step[i]) * held[i, n]
            b += (gain[i + 1] + x * gain_step[i + 1]) * held[i + 1, n]
            c += (gain[i + 2] + x * gain_step[i + 2]) * held[i + 2, n]
            d += (gain[i + 3] + x * gain_step[i + 3]) * held[i + 3, n]
            held[i, n] = a
            held[i + 1, n] = b
            held[i + 2, n] = c
            held[i + 3, n] = d
        dull[i], dull[i + 1], dull[i + 2], dull[i + 3] = a, b, c, d
    for i in range(LINES):
        if abs(dull[i]) < DEAD:
            dull[i] = 0.0


@njit(cache=True, nogil=True)
def _loss(seconds: float, decay: float, damping: float, rate: float) -> tuple[float, float]:
    """Gain and pole of the one-pole low-pass that a line of so many seconds passes through.

    At low frequencies it brings the decay wanted (Jot and Chaigne 1991); at the damping corner
    the decay is `DAMPED` of it: |H|^2 = (1-p)^2 / (1 - 2 p cos w + p^2), solved for the pole p.
    """
    full = 10.0 ** (-3.0 * seconds / decay)
    ratio = 10.0 ** (-3.0 * seconds / decay * (1.0 / DAMPED - 1.0))
    c = math.cos(2.0 * math.pi * min(damping / rate, 0.49))
    r2 = ratio * ratio
    b = (1.0 - r2 * c) / (1.0 - r2)
    p = b - math.sqrt(max(b * b - 1.0, 0.0))
    return full * (1.0 - p), p


@njit(cache=True, nogil=True)
def _thaw(loss: tuple[float, float], freeze: float) -> tuple[float, float]:
    """A line's gain and pole where it is frozen in part: all of it loses nothing."""
    pole = loss[1]
    full = loss[0] / (1.0 - pole)
    pole *= 1.0 - freeze
    return full ** (1.0 - freeze) * (1.0 - pole), pole


@njit(cache=True, nogil=True)
def losses(
    seconds: np.ndarray,
    size: float,
    decay: float,
    damping: float,
    freeze: float,
    rate: float,
    gain: np.ndarray,
    dark: np.ndarray,
) -> None:
    """Gain and pole of every line's loss into `gain` and `dark` ``[LINES]``."""
    for i in range(LINES):
        loss = _loss(seconds[i] * size, decay, damping, rate)
        if freeze > 0.0:
            loss = _thaw(loss, freeze)
        gain[i], dark[i] = loss[0], loss[1]


@njit(cache=True, nogil=True)
def entrance(seconds: np.ndarray, size: float, decay: float, freeze: float) -> float:
    """The gain of what comes in, at which as much comes in as the lines lose.

    Lines of `seconds` ``[LINES]`` that lose the share ``1 - g^2`` of their energy with each pass
    hold just as much energy as comes in if that is scaled by this share; they are heard when they
    have lost it. So neither decay nor size changes how loud the space is, and as they move it does
    not pump. A frozen space loses nothing, and takes nothing in.
    """
    kept = 0.0
    for i in range(LINES):
        kept += 10.0 ** (-6.0 * seconds[i] * size / decay * (1.0 - freeze)) / LINES
    return math.sqrt((1.0 - kept) / (0.5 * LINES * max(kept, LEAST_KEPT)))


@njit(cache=True, nogil=True)
def mix_lines(lines: np.ndarray) -> None:
    """The Hadamard matrix over `lines` ``[LINES, TICK]`` in place, scaled to keep the energy."""
    half = 1
    while half < LINES:
        for start in range(0, LINES, 2 * half):
            for i in range(start, start + half):
                for n in range(TICK):
                    a = lines[i, n]
                    b = lines[i + half, n]
                    lines[i, n] = a + b
                    lines[i + half, n] = a - b
        half *= 2
    scale = np.float32(1.0 / math.sqrt(LINES))
    for i in range(LINES):
        for n in range(TICK):
            lines[i, n] *= scale


@njit(cache=True, nogil=True)
def read_lines(
    lines: np.ndarray,
    at: int,
    rate: float,
    seconds: np.ndarray,
    size: float,
    to_size: float,
    freeze: float,
    to_freeze: float,
    held: np.ndarray,
) -> None:
    """Read all `lines` ``[LINES, size]`` over a tick, each swaying at a pace of its own.

    It goes into `held` ``[LINES, TICK]``; `seconds` are their lengths ``[LINES]``. Frozen ones
    stand still at whole samples, so that nothing is lost between samples.
    """
    for i in range(LINES):
        pace = 0.11 + 0.029 * i
        turn = at / rate * pace + i * 0.618
        then = turn + TICK / rate * pace
        length = seconds[i] * size * rate
        to_length = seconds[i] * to_size * rate
        away = length + SWAY * rate * (1.0 + math.sin(2.0 * math.pi * turn))
        end = to_length + SWAY * rate * (1.0 + math.sin(2.0 * math.pi * then))
        away += freeze * (math.floor(length) - away)
        end += to_freeze * (math.floor(to_length) - end)
        read_going(lines[i], at, away, end, held[i])


@njit(cache=True, nogil=True)
def gather(held: np.ndarray, wet: np.ndarray) -> None:
    """What is heard of the lines ``[LINES, TICK]`` on either side ``[2, TICK]``."""
    for n in range(TICK):
        wet[0, n] = held[0, n] - held[2, n] + held[4, n] - held[6, n]
        wet[0, n] += held[8, n] - held[10, n] + held[12, n] - held[14, n]
        wet[1, n] = held[1, n] - held[3, n] + held[5, n] - held[7, n]
        wet[1, n] += held[9, n] - held[11, n] + held[13, n] - held[15, n]
