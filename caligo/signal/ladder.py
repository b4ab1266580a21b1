"""Four low-passes in a loop, driven: the ladder.

Source: V. Zavalishin, "The Art of VA Filter Design", chapter 5: the loop is solved without a
delay in it, then its sum is bent; equations from memory.
"""

from __future__ import annotations

import math

import numpy as np

from caligo.signal.kernel import kernel, kernel_with
from caligo.signal.state_variable import CONTRACT, DEAD, is_silent
from caligo.signal.ticks import TICK

REFERENCE = 0.25
"""The peak of a sine that keeps its level whatever the drive: -12 dB under full scale."""


@kernel_with(fastmath=CONTRACT)
def _step(
    x: float, share: float, back: float, s0: float, s1: float, s2: float, s3: float
) -> tuple[float, float, float, float, float]:
    """A sample through the loop: the last stage's output, and the integrators after it."""
    rest = 1.0 - share
    # What the stages hold, as it comes out of each: y_k = share^k u + held_k. So all of them are
    # known at once, as soon as u is.
    held0 = rest * s0
    held1 = rest * s1 + share * held0
    held2 = rest * s2 + share * held1
    held3 = rest * s3 + share * held2
    second = share * share
    third, fourth = share * second, second * second
    u = (x - back * held3) * (1.0 / (1.0 + back * fourth))
    u *= 1.0 / math.sqrt(1.0 + u * u)
    y = fourth * u + held3
    s0 = 2.0 * (share * u + held0) - s0
    s1 = 2.0 * (second * u + held1) - s1
    s2 = 2.0 * (third * u + held2) - s2
    return y, s0, s1, s2, 2.0 * y - s3


@kernel_with(fastmath=CONTRACT)
def _tick(x: np.ndarray, ends: np.ndarray, state: np.ndarray) -> None:
    """A tick of both sides in one loop, so that the processor overlaps them.

    `x` is ``[2, TICK]``, `state` ``[2, 4]``. `ends` ``[5, 2]`` are the stages' share of left and
    right, the feedback, and the factors ahead of the loop and behind it, at the tick's beginning
    and end.
    """
    g, h, back, drive, level = ends[0, 0], ends[1, 0], ends[2, 0], ends[3, 0], ends[4, 0]
    step = (ends[:, 1] - ends[:, 0]) / TICK
    l0, l1, l2, l3 = state[0, 0], state[0, 1], state[0, 2], state[0, 3]
    r0, r1, r2, r3 = state[1, 0], state[1, 1], state[1, 2], state[1, 3]
    for n in range(TICK):
        y, l0, l1, l2, l3 = _step(drive * x[0, n], g, back, l0, l1, l2, l3)
        x[0, n] = level * y
        y, r0, r1, r2, r3 = _step(drive * x[1, n], h, back, r0, r1, r2, r3)
        x[1, n] = level * y
        g += step[0]
        h += step[1]
        back += step[2]
        drive += step[3]
        level += step[4]
    state[0, 0], state[0, 1], state[0, 2], state[0, 3] = l0, l1, l2, l3
    state[1, 0], state[1, 1], state[1, 2], state[1, 3] = r0, r1, r2, r3


@kernel
def _alive(state: np.ndarray) -> bool:
    """Whether integrators ``[2, 4]`` hold numbers; what has died away is set to nothing."""
    total = 0.0
    for c in range(2):
        for i in range(4):
            if abs(state[c, i]) < DEAD:
                state[c, i] = 0.0
            total += state[c, i]
    return math.isfinite(total)


@kernel
def run_ladder(
    signal: np.ndarray,
    corner: np.ndarray,
    feedback: np.ndarray,
    drive: np.ndarray,
    mix: np.ndarray,
    state: np.ndarray,
) -> None:
    """Filter `signal` ``[voices, 2, samples]`` in place.

    Parameters
    ----------
    corner
        ``tan(pi f / rate)`` of each side at every tick ``[voices, 2, ticks + 1]``.
    feedback
        From 0 to below 4, where it would sing for ever ``[voices, ticks + 1]``.
    drive
        Factor ahead of the bend ``[voices, ticks + 1]``.
    mix
        Share of the filtered signal at every tick ``[voices, ticks + 1]``.
    state
        The stages' integrators ``[voices, 2, 4]``; carried on.
    """
    wet = np.empty((2, TICK))
    ends = np.empty((5, 2))
    for v in range(signal.shape[0]):
        for k in range(mix.shape[1] - 1):
            heard = signal[v, :, k * TICK : (k + 1) * TICK]
            if is_silent(heard[0]) and is_silent(heard[1]) and not state[v].any():
                continue
            for end in range(2):
                for c in range(2):
                    g = corner[v, c, k + end]
                    ends[c, end] = g / (1.0 + g)
                back, factor = feedback[v, k + end], drive[v, k + end]
                ends[2, end] = back
                # Half of what resonance takes from the lows is given back.
                ends[3, end] = factor * (1.0 + 0.5 * back)
                bent = factor * REFERENCE
                ends[4, end] = math.sqrt(1.0 + bent * bent) / factor
            wet[:] = heard
            _tick(wet, ends, state[v])
            if not _alive(state[v]):
                state[v] = 0.0
                wet[:] = 0.0
            m, m_step = mix[v, k], (mix[v, k + 1] - mix[v, k]) / TICK
            for c in range(2):
                for n in range(TICK):
                    heard[c, n] += (m + n * m_step) * (wet[c, n] - heard[c, n])
