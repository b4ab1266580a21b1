"""Levels that are followed, and gains that answer them.

Source: D. Giannoulis, M. Massberg, J. Reiss, "Digital dynamic range compressor design - a tutorial
and analysis" (JAES 2012): feed-forward, in decibels, the smooth decoupled detector of eq. 17 and
the soft knee of eq. 4 (numbers from memory).
"""

from __future__ import annotations

import math

import numpy as np

from caligo.signal.exponential import exp2_of, log2_of
from caligo.signal.kernel import kernel, kernel_with
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
SHARPEST = 1e-9
"""The least knee in dB: none at all would be a division by zero."""


@kernel
def over(level: float, threshold: float, slope: float, knee: float) -> float:
    """Decibels that are taken from a level in dB; `slope` is ``1 - 1 / ratio``.

    Examples
    --------
    >>> over(-10.0, -20.0, 0.75, 0.0)
    7.5
    """
    above = level - threshold
    within = min(max(above + 0.5 * knee, 0.0), knee)
    beyond = max(above - 0.5 * knee, 0.0)
    return slope * (within * within / (2.0 * max(knee, SHARPEST)) + beyond)


@kernel
def followed_peaks(signal: np.ndarray, out: np.ndarray) -> None:
    """The louder side's level in dB of `signal` ``[2, samples]`` into `out` ``[samples]``."""
    left, right = signal[0], signal[1]
    for n in range(len(out)):
        out[n] = max(abs(left[n]), abs(right[n]), SILENCE)
    log2_of(out)
    for n in range(len(out)):
        out[n] *= OCTAVE


@kernel
def smoothed(
    wanted: np.ndarray, attack: np.ndarray, release: np.ndarray, state: np.ndarray
) -> None:
    """Smooth decibels taken away ``[samples]``, in place: quickly up, slowly down.

    Parameters
    ----------
    attack, release
        Samples in which 63 % of the way is gone, at every tick ``[ticks + 1]``.
    state
        The held and the smoothed value ``[2]``; carried on.
    """
    held, smooth = state[0], state[1]
    for k in range(len(attack) - 1):
        rise = 1.0 - math.exp(-1.0 / attack[k])
        fall = 1.0 - math.exp(-1.0 / release[k])
        tick = wanted[k * TICK : (k + 1) * TICK]
        for n in range(TICK):
            x = tick[n]
            # The held value falls at the release and jumps up; the attack smooths it.
            held = max(x, held + fall * (x - held))
            smooth += rise * (held - smooth)
            tick[n] = smooth
    state[0] = held if held > 1e-9 else 0.0
    state[1] = smooth if abs(smooth) > 1e-9 else 0.0


@kernel_with(allocates=True)
def turned_down(signal: np.ndarray, taken: np.ndarray, made: np.ndarray, mix: np.ndarray) -> None:
    """Take `taken` dB ``[samples]`` from `signal` ``[2, samples]``, in place.

    `made` are decibels given back and `mix` the share of what is changed, at every tick
    ``[ticks + 1]``.
    """
    gain = np.empty(TICK)
    for k in range(len(mix) - 1):
        g, g_step = made[k], (made[k + 1] - made[k]) / TICK
        m, m_step = mix[k], (mix[k + 1] - mix[k]) / TICK
        here = slice(k * TICK, (k + 1) * TICK)
        away, left, right = taken[here], signal[0, here], signal[1, here]
        for n in range(TICK):
            gain[n] = (g + n * g_step - away[n]) / OCTAVE
        exp2_of(gain)
        for n in range(TICK):
            factor = np.float32(1.0 + (m + n * m_step) * (gain[n] - 1.0))
            left[n] *= factor
            right[n] *= factor


@kernel
def compress(
    level: np.ndarray,
    threshold: np.ndarray,
    slope: np.ndarray,
    knee: np.ndarray,
    taken: np.ndarray,
) -> None:
    """What is wanted away from a level in dB ``[samples]``, into `taken` ``[samples]``.

    `threshold` and `knee` in dB and `slope` at every tick ``[ticks + 1]``.
    """
    for k in range(len(threshold) - 1):
        here = slice(k * TICK, (k + 1) * TICK)
        heard, away = level[here], taken[here]
        t, t_step = threshold[k], (threshold[k + 1] - threshold[k]) / TICK
        s, s_step = slope[k], (slope[k + 1] - slope[k]) / TICK
        w, w_step = knee[k], (knee[k + 1] - knee[k]) / TICK
        for n in range(TICK):
            away[n] = over(heard[n], t + n * t_step, s + n * s_step, w + n * w_step)


@kernel
def lift(level: np.ndarray, floor: np.ndarray, slope: np.ndarray, given: np.ndarray) -> None:
    """What is wanted added to a level in dB below a floor ``[samples]``, into `given`.

    The opposite of `compress`; below `DEEPEST` it fades out again, so that silence stays silent.
    `floor` in dB and `slope` at every tick ``[ticks + 1]``.
    """
    for k in range(len(floor) - 1):
        here = slice(k * TICK, (k + 1) * TICK)
        heard, more = level[here], given[here]
        f, f_step = floor[k], (floor[k + 1] - floor[k]) / TICK
        s, s_step = slope[k], (slope[k + 1] - slope[k]) / TICK
        for n in range(TICK):
            most = (s + n * s_step) * min(LARGEST_LIFT, max(0.0, f + n * f_step - heard[n]))
            fading = (heard[n] - DEEPEST) / (SOFT - DEEPEST)
            more[n] = most * min(1.0, max(0.0, fading))
