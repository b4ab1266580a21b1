"""Levels that are followed, and gains that answer them.

Source: D. Giannoulis, M. Massberg, J. Reiss, "Digital dynamic range compressor design - a tutorial
and analysis" (JAES 2012): feed-forward, in decibels, the smooth decoupled detector of eq. 17 and
the soft knee of eq. 4 (numbers from memory).
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from caligo.kernels import CONTRACT, device
from caligo.signal.arrays import copy
from caligo.signal.exponential import exp2, log2
from caligo.signal.ticks import TICK

SILENCE = 1e-7
"""What counts as nothing: 140 dB under full scale."""
QUIET = -140.0
"""The same in dB."""
DEEPEST, SOFT = -84.0, -66.0
"""Levels in dB under which nothing is lifted any more, and from which on it is in full."""
LARGEST_LIFT = 40.0
"""Decibels under a floor that count at most."""
OCTAVE = 20.0 * math.log10(2.0)
"""Decibels of a factor of two."""
BETWEEN, REACH = 4, 8
"""Values for each sample that is listened to, and the samples that each goes by."""
WINDOW = 3.4
"""Kaiser's beta of the filter that finds them."""


def peak_weights() -> NDArray[np.float32]:
    """Factors of the last `REACH` samples for each value between two ``[BETWEEN - 1, REACH]``.

    A windowed sinc (Oppenheim and Schafer, section 7.5). A wave's top lies between its samples: a
    sine of a sixth of the rate may look 1.2 dB softer than it is.
    """
    away = np.arange(REACH) - (REACH // 2 - 1) - np.arange(1, BETWEEN)[:, None] / BETWEEN
    window = np.i0(WINDOW * np.sqrt(1.0 - (away / (REACH / 2)) ** 2))
    weights = np.sinc(away) * window
    found: NDArray[np.float32] = (weights / weights.sum(axis=1, keepdims=True)).astype(np.float32)
    return found


PEAKS = peak_weights()
SHARPEST = 1e-9
"""The least knee in dB: none at all would be a division by zero."""


@device
def over(level: float, threshold: float, slope: float, knee: float) -> float:
    """Decibels that are taken from a level in dB; `slope` is ``1 - 1 / ratio``.

    Examples
    --------
    >>> over.called(-10.0, -20.0, 0.75, 0.0)
    7.5
    """
    above = level - threshold
    within = min(max(above + 0.5 * knee, 0.0), knee)
    beyond = max(above - 0.5 * knee, 0.0)
    return slope * (within * within / (2.0 * max(knee, SHARPEST)) + beyond)


@device(fastmath=CONTRACT)
def followed_peaks(
    tick: np.ndarray,
    weights: np.ndarray,
    before: np.ndarray,
    workspace: np.ndarray,
    out: np.ndarray,
) -> None:
    """The louder side's level in dB of `tick` ``[2, TICK]``, also between samples.

    Parameters
    ----------
    weights
        See `peak_weights`.
    before
        The samples before the tick ``[2, REACH]``; carried on.
    workspace
        Scratch memory ``[3, REACH + TICK]``.
    out
        Receives the level at each sample, or that of `REACH` / 2 samples before ``[TICK]``.
    """
    line, value, peak = workspace[0], workspace[1], workspace[2]
    for n in range(TICK):
        peak[n] = max(abs(tick[0, n]), abs(tick[1, n]))
    for c in range(2):
        copy(before[c], line[:REACH])
        copy(tick[c], line[REACH:])
        copy(line[TICK:], before[c])
        for between in range(BETWEEN - 1):
            for n in range(TICK):
                value[n] = np.float32(0.0)
            for i in range(REACH):
                weight, samples = weights[between, i], line[i + 1 :]
                for n in range(TICK):
                    value[n] += weight * samples[n]
            for n in range(TICK):
                peak[n] = max(peak[n], abs(value[n]))
    for n in range(TICK):
        out[n] = OCTAVE * log2(max(float(peak[n]), SILENCE))


@device(fastmath=CONTRACT)
def smoothed(wanted: np.ndarray, rise: float, fall: float, state: np.ndarray) -> None:
    """Smooth decibels taken away ``[TICK]``, in place: quickly up, slowly down.

    Parameters
    ----------
    rise, fall
        The fractions of the way that are gone in a sample, up and down.
    state
        The held and the smoothed value ``[2]``; carried on.
    """
    held, smooth = state[0], state[1]
    stays, lasts = 1.0 - rise, 1.0 - fall
    # The held value falls at the release and jumps up; the attack smooths it. Two samples go at
    # once, written out in full, so that half as many wait for what is before them.
    rises, falls = rise * stays, fall * lasts
    stay_both, last_both = stays * stays, lasts * lasts
    for n in range(0, TICK, 2):
        x, y = wanted[n], wanted[n + 1]
        first = max(x, fall * x + lasts * held)
        least = max(y, fall * y + lasts * x)
        held = max(least, fall * y + falls * x + last_both * held)
        wanted[n] = rise * first + stays * smooth
        smooth = rise * held + rises * first + stay_both * smooth
        wanted[n + 1] = smooth
    state[0] = held if held > 1e-9 else 0.0
    state[1] = smooth if abs(smooth) > 1e-9 else 0.0


@device(fastmath=CONTRACT)
def turn_down(tick: np.ndarray, taken: np.ndarray, made: np.ndarray, mix: np.ndarray) -> None:
    """Take `taken` dB ``[TICK]`` from `tick` ``[2, TICK]``, in place.

    `made` are decibels given back and `mix` the fraction of what is changed, at both ends ``[2]``.
    """
    left, right = tick[0], tick[1]
    g, g_step = made[0], (made[1] - made[0]) / TICK
    m, m_step = mix[0], (mix[1] - mix[0]) / TICK
    for n in range(TICK):
        gain = exp2((g + n * g_step - taken[n]) * (1.0 / OCTAVE))
        factor = np.float32(1.0 + (m + n * m_step) * (gain - 1.0))
        left[n] *= factor
        right[n] *= factor


@device(fastmath=CONTRACT)
def compress(
    level: np.ndarray,
    threshold: np.ndarray,
    slope: np.ndarray,
    knee: np.ndarray,
    taken: np.ndarray,
) -> None:
    """What is wanted away from a level in dB ``[TICK]``, into `taken` ``[TICK]``.

    `threshold` and `knee` in dB and `slope` at both ends ``[2]``.
    """
    t, t_step = threshold[0], (threshold[1] - threshold[0]) / TICK
    s, s_step = slope[0], (slope[1] - slope[0]) / TICK
    w, w_step = knee[0], (knee[1] - knee[0]) / TICK
    for n in range(TICK):
        taken[n] = over(level[n], t + n * t_step, s + n * s_step, w + n * w_step)


@device(fastmath=CONTRACT)
def lift(level: np.ndarray, floor: np.ndarray, slope: np.ndarray, given: np.ndarray) -> None:
    """What is wanted added to a level in dB below a floor ``[TICK]``, into `given`.

    The opposite of `compress`; below `DEEPEST` it fades out again, so that silence stays silent.
    `floor` in dB and `slope` at both ends ``[2]``.
    """
    f, f_step = floor[0], (floor[1] - floor[0]) / TICK
    s, s_step = slope[0], (slope[1] - slope[0]) / TICK
    for n in range(TICK):
        most = (s + n * s_step) * min(LARGEST_LIFT, max(0.0, f + n * f_step - level[n]))
        fading = (level[n] - DEEPEST) / (SOFT - DEEPEST)
        given[n] = most * min(1.0, max(0.0, fading))


def fractions_a_sample(milliseconds: NDArray[np.float64], rate: int) -> NDArray[np.float64]:
    """One-pole coefficient of a follower with a time constant in milliseconds; both ``[...]``."""
    found: NDArray[np.float64] = -np.expm1(-1000.0 / (rate * milliseconds))
    return found
