"""First-order filters in trapezoidal form: slopes of 6 dB, and chains of all-passes.

Source: V. Zavalishin, "The Art of VA Filter Design", chapter 3; equations from memory.
"""

from __future__ import annotations

import numpy as np

from caligo.signal.kernel import kernel, kernel_with
from caligo.signal.state_variable import CONTRACT, DEAD, is_silent, settled
from caligo.signal.ticks import TICK


@kernel
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


@kernel_with(fastmath=CONTRACT)
def _pass_tick(heard: np.ndarray, ends: np.ndarray, state: np.ndarray, chain: np.ndarray) -> None:
    """A tick of both sides through the chain, together, so that the processor overlaps them.

    What a stage is given is ``a u + r``: `u` goes into the chain, and `r` is what the stages ahead
    of it remember. Both are known of all stages before `u` is, and then all stages at once.

    Parameters
    ----------
    heard
        ``[2, TICK]``, in place.
    ends
        The stages' share of left and right, feedback and mix at the tick's beginning and end
        ``[4, 2]``.
    state
        Integrators ``[2, stages]``.
    chain
        Room for `a` and `r` of both sides ``[4, stages]``.
    """
    stages = np.uint64(state.shape[1])
    g, h, back, m = ends[0, 0], ends[1, 0], ends[2, 0], ends[3, 0]
    step = (ends[:, 1] - ends[:, 0]) / TICK
    for n in range(TICK):
        x, w = heard[0, n], heard[1, n]
        through, across = 2.0 * g - 1.0, 2.0 * h - 1.0
        hold, keep = 2.0 - 2.0 * g, 2.0 - 2.0 * h
        a, b, r, q = 1.0, 1.0, 0.0, 0.0
        for s in range(stages):
            chain[0, s], chain[1, s], chain[2, s], chain[3, s] = a, b, r, q
            a *= through
            b *= across
            r = through * r + hold * state[0, s]
            q = across * q + keep * state[1, s]
        # A loop of gain `back` rises to 1 / (1 - back) where it comes in phase.
        u = ((1.0 - abs(back)) * x + back * r) / (1.0 - back * a)
        v = ((1.0 - abs(back)) * w + back * q) / (1.0 - back * b)
        for s in range(stages):
            state[0, s] += 2.0 * g * (chain[0, s] * u + chain[2, s] - state[0, s])
            state[1, s] += 2.0 * h * (chain[1, s] * v + chain[3, s] - state[1, s])
        heard[0, n] = x + m * (a * u + r - x)
        heard[1, n] = w + m * (b * v + q - w)
        g += step[0]
        h += step[1]
        back += step[2]
        m += step[3]


@kernel
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
    chain, ends = np.empty((4, stages)), np.empty((4, 2))
    for v in range(signal.shape[0]):
        for k in range(mix.shape[1] - 1):
            heard = signal[v, :, k * TICK : (k + 1) * TICK]
            if is_silent(heard[0]) and is_silent(heard[1]) and not state[v].any():
                continue
            for end in range(2):
                for c in range(2):
                    g = corner[v, c, k + end]
                    ends[c, end] = g / (1.0 + g)
                ends[2, end], ends[3, end] = feedback[v, k + end], mix[v, k + end]
            _pass_tick(heard, ends, state[v], chain)
            total = 0.0
            for c in range(2):
                for s in range(stages):
                    if abs(state[v, c, s]) < DEAD:
                        state[v, c, s] = 0.0
                    total += state[v, c, s]
            if not np.isfinite(total):
                state[v] = 0.0
                heard[:] = 0.0
