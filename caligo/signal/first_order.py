"""First-order filters in trapezoidal form: slopes of 6 dB, and chains of all-passes.

Source: V. Zavalishin, "The Art of VA Filter Design", chapter 3; equations from memory.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from caligo.kernels import CONTRACT, device, kernel
from caligo.signal.packed import (
    PACKED,
    begin_tick,
    beside,
    end_tick,
    give_state,
    scratch,
    take_state,
)
from caligo.signal.ticks import TICK
from caligo.signal.vector import WIDTH, in_each, load, store

Floats = NDArray[np.float64]


@device(fastmath=CONTRACT)
def _slope(
    dry: np.ndarray, wet: np.ndarray, ends: np.ndarray, highpass: bool, held: np.ndarray
) -> None:
    """One slope over a tick, see `caligo.signal.packed`."""
    lows = 0.0 if highpass else 1.0
    g, g_step = load(ends[1], 0), load(ends[1], 1)
    high, high_step = load(ends[2], 0), load(ends[2], 1)
    s = load(held, 0)
    for n in range(TICK):
        x = load(dry, n)
        rise = (x - s) * g / (1.0 + g)
        low = s + rise
        s = low + rise
        store(wet, n, high * (x - low) + lows * low)
        g += g_step
        high += high_step
    store(held, 0, s)


@kernel("f4[:, :, ::1], f8[:, :, :, ::1], b1, f8[:, :, ::1]")
def _run_slope(signal: np.ndarray, values: np.ndarray, highpass: bool, state: np.ndarray) -> None:
    """`run_slope` with its numbers beside each other."""
    dry, wet, ends, held = scratch(values.shape[0], state.shape[2])
    for first in range(0, signal.shape[0], PACKED):
        take_state(state, first, held)
        for k in range(values.shape[3] - 1):
            if begin_tick(signal, first, k, values, held, dry, ends):
                _slope(dry, wet, ends, highpass, held)
                end_tick(dry, wet, ends, held, signal, first, k)
        give_state(held, first, state)


def run_slope(
    signal: NDArray[np.float32], slopes: Floats, mix: Floats, highpass: bool, state: Floats
) -> None:
    """A low-pass or high-pass of 6 dB per octave on `signal` ``[voices, 2, samples]``, in place.

    Parameters
    ----------
    slopes
        Numbers of each channel at every tick ``[2, voices, 2, ticks + 1]``, see
        `caligo.signal.matched.slopes_of`.
    mix
        Share of the filtered signal at every tick ``[voices, ticks + 1]``.
    state
        The integrator of each channel ``[voices, 2, 1]``; carried on.
    """
    _run_slope(signal, beside(mix, *slopes), highpass, state)


@device(fastmath=CONTRACT)
def _pass_tick(
    dry: np.ndarray, wet: np.ndarray, ends: np.ndarray, held: np.ndarray, chain: np.ndarray
) -> None:
    """A tick through the chain, see `caligo.signal.packed`.

    What a stage is given is ``a u + r``: `u` goes into the chain, and `r` is what the stages ahead
    of it remember. Both are known of all stages before `u` is, and then all stages at once.

    Parameters
    ----------
    ends
        At 1 and 2: the stages' coefficient ``g / (1 + g)``, and feedback.
    held
        Integrators ``[stages, WIDTH]``.
    chain
        Room for `a` and `r` ``[2 stages, WIDTH]``.
    """
    stages = held.shape[0]
    g, g_step = load(ends[1], 0), load(ends[1], 1)
    back, back_step = load(ends[2], 0), load(ends[2], 1)
    for n in range(TICK):
        x = load(dry, n)
        through = 2.0 * g - 1.0
        hold = 2.0 - 2.0 * g
        a, r = in_each(1.0), in_each(0.0)
        for s in range(stages):
            store(chain, s, a)
            store(chain, stages + s, r)
            a *= through
            r = through * r + hold * load(held, s)
        # A loop of gain `back` rises to 1 / (1 - back) where it comes in phase.
        u = ((1.0 - abs(back)) * x + back * r) / (1.0 - back * a)
        for s in range(stages):
            own = load(held, s)
            store(held, s, own + 2.0 * g * (load(chain, s) * u + load(chain, stages + s) - own))
        store(wet, n, a * u + r)
        g += g_step
        back += back_step


@kernel("f4[:, :, ::1], f8[:, :, :, ::1], f8[:, :, ::1]", allocates=True)
def _run_all_passes(signal: np.ndarray, values: np.ndarray, state: np.ndarray) -> None:
    """`run_all_passes` with its numbers beside each other."""
    dry, wet, ends, held = scratch(values.shape[0], state.shape[2])
    chain = np.zeros((2 * state.shape[2], WIDTH))
    for first in range(0, signal.shape[0], PACKED):
        take_state(state, first, held)
        for k in range(values.shape[3] - 1):
            if begin_tick(signal, first, k, values, held, dry, ends):
                _pass_tick(dry, wet, ends, held, chain)
                end_tick(dry, wet, ends, held, signal, first, k)
        give_state(held, first, state)


def run_all_passes(
    signal: NDArray[np.float32], cutoff: Floats, feedback: Floats, mix: Floats, state: Floats
) -> None:
    """A chain of all-passes, added to what it was given, on ``[voices, 2, samples]`` in place.

    Each pair of stages makes one notch where the chain turns the phase by half a turn. The
    output is scaled so that it is at most as loud as the input at any frequency. Feedback has no
    delay (the loop is solved, Zavalishin section 3.10), so that peaks lie alike at every rate.

    Parameters
    ----------
    cutoff
        ``tan(pi f / rate)`` of each channel at every tick ``[voices, 2, ticks + 1]``.
    feedback
        Share of the chain's last output that goes into it again ``[voices, ticks + 1]``.
    mix
        0 leaves the signal, 0.5 makes the deepest notches, 1 only turns phases
        ``[voices, ticks + 1]``.
    state
        Integrators ``[voices, 2, stages]``; carried on.
    """
    _run_all_passes(signal, beside(mix, cutoff / (1.0 + cutoff), feedback), state)
