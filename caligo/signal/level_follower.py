"""The level of a signal, followed slowly: what drive relates to.

The power is averaged twice with weights that fall exponentially into the past, and divided by their
sum so far: so it is known from the first tick on, and a start finds the same as a run from the
beginning once `SETTLED` has gone by. Twice, since what is left of a wave's cycles would be heard as
side bands of what it drives.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from caligo.kernels import CONTRACT, device, kernel
from caligo.signal.silence import DEAD
from caligo.signal.smoothing import one_pole
from caligo.signal.ticks import TICK

FOLLOWED = 0.15
"""Seconds of each average's time constant: long beside a cycle, short beside a phrase."""
SETTLED = 10.0 * FOLLOWED
QUIETEST = 0.5 * 10.0 ** (-70.0 / 10.0)
"""The power of a sine at -70 dB: what is softer does not count, so that the level after silence is
known at once, and a pause does not turn drive up."""
LOUDEST = 1e12
"""The power above which a tick does not count: it is no sound, or no number."""
USUAL = 0.08
"""The level that is taken where none is known: about that of a voice."""
MOST_MATCHED = 4.0
"""The gain, or its inverse, by which what is made is brought to the level of what came in at most:
as a note begins, one may be known a moment before the other."""
FORGOTTEN = 1e-7
"""The sum of weights below which nothing is known any more: after 5 s of silence."""
LIFTED, CORNER = 0.585, 1_500.0
"""How much highs are lifted, and from which frequency on: 4 dB, as ears weigh them (the shelf of
ITU-R BS.1770-4, here of the first order)."""
FOLLOWER_STATE = 5
"""Numbers of a channel that are remembered: powers and weights, summed once and twice, and a
low-pass."""
FOLLOWERS = 3
"""Signals that one state is of: what comes in, what is made of it, and what goes into a loop."""


@device(fastmath=CONTRACT)
def _power(tick: np.ndarray, fraction: float, kept: np.ndarray) -> float:
    """The mean square of a tick ``[TICK]``, highs lifted; `kept` ``[5]`` ends with a low-pass."""
    total, low = 0.0, kept[4]
    for n in range(TICK):
        x = float(tick[n])
        low += fraction * (x - low)
        lifted = x + LIFTED * (x - low)
        total += lifted * lifted
    kept[4] = low if abs(low) > DEAD else 0.0
    return total / TICK


@device
def _level(kept: np.ndarray, place: int) -> float:
    """The level that is known of a stream ``[2, ...]``, or 0."""
    power = 0.0
    for c in range(2):
        if kept[c, place + 3] > 0.0:
            power = max(power, kept[c, place + 2] / kept[c, place + 3])
    return math.sqrt(2.0 * power)


@kernel("f4[:, :, ::1], f8, f8, i8, f8[:, :, ::1], f8[:, ::1]")
def _follow(
    signal: np.ndarray,
    stays: float,
    fraction: float,
    place: int,
    state: np.ndarray,
    levels: np.ndarray,
) -> None:
    """`follow_level` where each average keeps `stays` of itself in a tick.

    `fraction` is the one-pole coefficient of what is not lifted; `place` the follower's first row.
    """
    for s in range(signal.shape[0]):
        levels[s, 0] = _level(state[s], place)
        for k in range(levels.shape[1] - 1):
            for c in range(2):
                kept = state[s, c, place : place + FOLLOWER_STATE]
                power = _power(signal[s, c, k * TICK : (k + 1) * TICK], fraction, kept)
                kept[0] *= stays
                kept[1] *= stays
                if QUIETEST < power < LOUDEST:
                    kept[0] += power
                    kept[1] += 1.0
                kept[2] = stays * kept[2] + kept[0]
                kept[3] = stays * kept[3] + kept[1]
                if kept[3] < FORGOTTEN:
                    kept[0] = kept[1] = kept[2] = kept[3] = 0.0
            levels[s, k + 1] = _level(state[s], place)


def follow_level(
    signal: NDArray[np.float32], rate: int, state: NDArray[np.float64], which: int = 0
) -> NDArray[np.float64]:
    """The peak of a low sine as loud as a signal ``[streams, 2, samples]``, at every tick.

    The louder side counts. Returns ``[streams, ticks + 1]``, 0 where nothing is known.

    Parameters
    ----------
    state
        ``[streams, 2, FOLLOWERS * FOLLOWER_STATE]``, zeros before the first sample; carried on.
    which
        Which of its followers this is.
    """
    levels = np.empty((signal.shape[0], signal.shape[2] // TICK + 1))
    stays = math.exp(-TICK / (FOLLOWED * rate))
    place = which * FOLLOWER_STATE
    _follow(signal, stays, one_pole(CORNER, rate), place, state, levels)
    return levels


def known_or_usual(levels: NDArray[np.float64]) -> NDArray[np.float64]:
    """Levels ``[...]`` as drive relates to them."""
    return np.where(levels > 0.0, levels, USUAL)


def matching_gain(levels: NDArray[np.float64], made: NDArray[np.float64]) -> NDArray[np.float64]:
    """The gain that brings what was made to the level of what came in; all are ``[...]``."""
    known = (levels > 0.0) & (made > 0.0)
    ratio = np.divide(levels, made, out=np.ones_like(made), where=known)
    return np.clip(ratio, 1.0 / MOST_MATCHED, MOST_MATCHED)
