"""First-order filters in trapezoidal form: slopes of 6 dB, and chains of all-passes.

Source: V. Zavalishin, "The Art of VA Filter Design", chapter 3; equations from memory.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from caligo.signal.state_variable import DEAD, is_silent, settled
from caligo.signal.ticks import TICK


@njit(cache=True, nogil=True)
def run_slope(
    signal: np.ndarray, corner: np.ndarray, mix: np.ndarray, highpass: bool, state: np.ndarray
) -> None:
    """A low-pass or high-pass of 6 dB per octave on `signal` ``[voices, 2, samples]``, in place.

    Parameters
    ----------
    corner
        ``tan(pi f / rate)`` of each side at every tick ``[voices, 2, ticks + 1]``.
    mix
        Share of the filtered signal at every tick ``[voices, ticks + 1]``.
    state
        The integrator of each side is ``state[:, 0, :, 0]``, of ``[voices, 1, 2, 2]``.
    """
    for v in range(signal.shape[0]):
        for k in range(mix.shape[1] - 1):
            m, m_step = mix[v, k], (mix[v, k + 1] - mix[v, k]) / TICK
            for c in range(2):
                x = signal[v, c, k * TICK : (k + 1) * TICK]
                g, g_step = corner[v, c, k], (corner[v, c, k + 1] - corner[v, c, k]) / TICK
                s = state[v, 0, c, 0]
                for n in range(TICK):
                    rise = (x[n] - s) * g / (1.0 + g)
                    low = s + rise
                    s = low + rise
                    wet = x[n] - low if highpass else low
                    x[n] += (m + n * m_step) * (wet - x[n])
                    g += g_step
                state[v, 0, c, 0] = s
            if not settled(state[v]):
                state[v] = 0.0
                signal[v, :, k * TICK : (k + 1) * TICK] = 0.0


@njit(cache=True, nogil=True)
def run_all_passes(
    signal: np.ndarray,
    corner: np.ndarray,
    feedback: np.ndarray,
    mix: np.ndarray,
    stages: int,
    state: np.ndarray,
) -> None:
    """A chain of all-passes, added to what it was given, on ``[voices, 2, samples]`` in place.

    Each pair of stages makes one notch where the chain turns the phase by half a turn. The
    output is scaled so that it is at most as loud as the input at any frequency. Feedback has no
    delay (the loop is solved, Zavalishin section 3.10), so that peaks lie alike at every rate.

    Parameters
    ----------
    corner
        ``tan(pi f / rate)`` of each side at every tick ``[voices, 2, ticks + 1]``.
    feedback
        Share of the chain's last output that goes into it again ``[voices, ticks + 1]``.
    mix
        0 leaves the signal, 0.5 makes the deepest notches, 1 only turns phases
        ``[voices, ticks + 1]``.
    state
        Integrators of the stages ``[voices, 2, stages]``.
    """
    for v in range(signal.shape[0]):
        for k in range(mix.shape[1] - 1):
            heard = signal[v, :, k * TICK : (k + 1) * TICK]
            if is_silent(heard[0]) and is_silent(heard[1]) and not state[v].any():
                continue
            m, m_step = mix[v, k], (mix[v, k + 1] - mix[v, k]) / TICK
            f, f_step = feedback[v, k], (feedback[v, k + 1] - feedback[v, k]) / TICK
            for c in range(2):
                g, g_end = corner[v, c, k], corner[v, c, k + 1]
                share, share_end = g / (1.0 + g), g_end / (1.0 + g_end)
                share_step = (share_end - share) / TICK
                kept = state[v, c]
                for n in range(TICK):
                    x = heard[c, n]
                    back = f + n * f_step
                    # What the chain gives of its input at once, and of what it remembers.
                    through, at_once, remembered = 2.0 * share - 1.0, 1.0, 0.0
                    if back != 0.0:
                        for s in range(stages):
                            at_once *= through
                            remembered = through * remembered + 2.0 * (1.0 - share) * kept[s]
                    # A loop of gain `back` rises to 1 / (1 - back) where it comes in phase.
                    y = (1.0 - abs(back)) * x + back * remembered
                    y /= 1.0 - back * at_once
                    for s in range(stages):
                        rise = (y - kept[s]) * share
                        low = kept[s] + rise
                        kept[s] = low + rise
                        y = 2.0 * low - y
                    heard[c, n] = x + (m + n * m_step) * (y - x)
                    share += share_step
            total = 0.0
            for c in range(2):
                for s in range(stages):
                    if abs(state[v, c, s]) < DEAD:
                        state[v, c, s] = 0.0
                    total += state[v, c, s]
            if not np.isfinite(total):
                state[v] = 0.0
                heard[:] = 0.0
