"""Strings: delays in loops, damped by two poles, whose fundamental decays as it is told.

A loop with a low-pass of one pole takes from the fundamental of a high string what it takes from
the overtones of a low one, and cannot give it back: its gain at no frequency, where it would ring
too, has to stay below one. A low-pass of two poles may be as high at the fundamental as at no
frequency, or a little higher, where reading between samples takes something, and falls only above.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from caligo.kernels import CONTRACT, device, kernel
from caligo.signal.arrays import is_zero
from caligo.signal.silence import DEAD, is_silent
from caligo.signal.ticks import TICK

Floats = NDArray[np.float64]

SHORTEST = 3.0
"""Samples of the shortest loop: shorter ones cannot be read between samples."""
MEMORY = 2
"""What the low-pass remembers, behind the ring."""


def _interpolation_gain(turn: Floats, fraction: Floats) -> Floats:
    """What is left at `turn` radians a sample of a wave that is read between samples."""
    places = np.arange(-2.0, 4.0).reshape(6, *([1] * turn.ndim))
    weights = np.ones((6, *turn.shape))
    for i in range(6):
        for j in range(6):
            if i != j:
                weights[i] *= (fraction - places[j]) / (places[i] - places[j])
    found: Floats = np.abs((weights * np.exp(-1j * places * turn)).sum(axis=0))
    return found


def tuned_loop(hertz: Floats, damping: Floats, rate: float) -> tuple[Floats, Floats, Floats]:
    """A loop's length, and its low-pass, for a string that rings at `hertz`.

    Parameters
    ----------
    hertz, damping
        The fundamental, and the frequency from which on overtones fade sooner; one below the
        fundamental counts as the fundamental.

    Returns
    -------
    length
        Samples of the delay, of the shape of `hertz`.
    lowpass
        Cutoff as the tangent of half its radians, and 1 / Q ``[2, ...]``: with ``x`` the square of
        the frequency over the cutoff, the gain is ``1 / sqrt((1 - x)^2 + x / Q^2)`` (the
        second-order low-pass of any handbook), solved for `Q`.
    round_trip
        Seconds that what rings takes for a turn: the low-pass holds it longer, by its group delay,
        than it shifts its phase.
    """
    turn = 2.0 * np.pi * hertz / rate
    here = np.tan(0.5 * turn)
    cutoff = np.maximum(np.tan(np.pi * np.minimum(damping, 0.47 * rate) / rate), here)
    x = (here / cutoff) ** 2
    left = np.ones_like(turn)
    for _ in range(2):
        damped = np.sqrt(np.maximum(left**2 - (1.0 - x) ** 2, 1e-12) / x)
        late = np.arctan2(damped * np.sqrt(x), 1.0 - x) / turn
        length = np.maximum(rate / hertz - late, SHORTEST)
        left = _interpolation_gain(turn, length - np.floor(length))
    slope = damped * (1.0 + x) / ((1.0 - x) ** 2 + damped**2 * x)
    group = slope * 0.5 * (1.0 + here**2) / cutoff
    return length, np.stack([cutoff, damped]), (length + group) / rate


@device
def _weigh(f: float, weights: np.ndarray) -> None:
    """Weights ``[6]`` of the samples around a fraction (fifth-order Lagrange), oldest last."""
    a, b, c = f + 2.0, f + 1.0, f
    d, e, g = f - 1.0, f - 2.0, f - 3.0
    outer, inner = a * g, b * e
    weights[0] = -b * c * d * e * g / 120.0
    weights[1] = outer * c * d * e / 24.0
    weights[2] = -outer * inner * d / 12.0
    weights[3] = outer * inner * c / 12.0
    weights[4] = -outer * b * c * d / 24.0
    weights[5] = a * b * c * d * e / 120.0


@device
def _tune(lowpass: np.ndarray, factors: np.ndarray) -> None:
    """The factors ``[3]`` of a state-variable filter of a cutoff and 1 / Q ``[2]``.

    It keeps its level while they move; see `caligo.signal.state_variable` for the source.
    """
    factors[0] = 1.0 / (1.0 + lowpass[0] * (lowpass[0] + lowpass[1]))
    factors[1] = lowpass[0] * factors[0]
    factors[2] = lowpass[0] * factors[1]


@device
def _read(line: np.ndarray, newest: int, weights: np.ndarray) -> float:
    """Six samples of a ring by their weights, from the newest on."""
    mask = np.uint64(len(line) - 1)
    place, one, two, three = np.uint64(newest), np.uint64(1), np.uint64(2), np.uint64(3)
    fourth = place - three
    first = weights[0] * line[place & mask] + weights[1] * line[(place - one) & mask]
    then = weights[2] * line[(place - two) & mask] + weights[3] * line[fourth & mask]
    last = weights[4] * line[(fourth - one) & mask] + weights[5] * line[(fourth - two) & mask]
    found: float = (first + then) + last
    return found


@kernel(
    "f4[:, :, ::1], f8[:, ::1], f8[:, ::1], f8[:, :, ::1], f8[:, ::1], i8, f8[:, :, ::1]",
    fastmath=CONTRACT,
    allocates=True,
)
def run_strings(
    signal: np.ndarray,
    length: np.ndarray,
    feedback: np.ndarray,
    lowpass: np.ndarray,
    weight: np.ndarray,
    at: int,
    state: np.ndarray,
) -> None:
    """Pass `signal` ``[strings, 2, samples]`` through, in place; `at` is its first sample's index.

    Parameters
    ----------
    length, lowpass
        See `tuned_loop`, at every tick ``[strings, ticks + 1]``, ``[2, strings, ticks + 1]``.
    feedback, weight
        What of a turn is left, below 1, and how much of what goes into the line is heard
        ``[strings, ticks + 1]``.
    state
        The ring of each channel, and what its low-pass remembers
        ``[strings, 2, size + MEMORY]``.
    """
    size = state.shape[2] - MEMORY
    weights, now, steps = np.empty(6), np.empty(3), np.empty(3)
    for v in range(signal.shape[0]):
        for k in range(feedback.shape[1] - 1):
            heard = signal[v, :, k * TICK : (k + 1) * TICK]
            if is_silent(heard[0]) and is_silent(heard[1]) and is_zero(state[v]):
                continue
            f, f_step = feedback[v, k], (feedback[v, k + 1] - feedback[v, k]) / TICK
            w, w_step = weight[v, k], (weight[v, k + 1] - weight[v, k]) / TICK
            d, d_step = length[v, k], (length[v, k + 1] - length[v, k]) / TICK
            _tune(lowpass[:, v, k], now)
            _tune(lowpass[:, v, k + 1], steps)
            for i in range(3):
                steps[i] = (steps[i] - now[i]) / TICK
            a, b, c = now[0], now[1], now[2]
            a_step, b_step, c_step = steps[0], steps[1], steps[2]
            whole = int(d)
            _weigh(d - whole, weights)
            left, right = state[v, 0, :size], state[v, 1, :size]
            one_l, two_l = state[v, 0, size], state[v, 0, size + 1]
            one_r, two_r = state[v, 1, size], state[v, 1, size + 1]
            largest = 0.0
            # Both sides go in one loop, so that the processor overlaps them.
            for n in range(TICK):
                here = at + k * TICK + n
                if d_step != 0.0:
                    whole = int(d + n * d_step)
                    _weigh(d + n * d_step - whole, weights)
                newest = here - whole + 2
                into = _read(left, newest, weights) - two_l
                band, low_l = a * one_l + b * into, two_l + b * one_l + c * into
                one_l, two_l = 2.0 * band - one_l, 2.0 * low_l - two_l
                into = _read(right, newest, weights) - two_r
                band, low_r = a * one_r + b * into, two_r + b * one_r + c * into
                one_r, two_r = 2.0 * band - one_r, 2.0 * low_r - two_r
                back, given = f + n * f_step, w + n * w_step
                into_l, into_r = heard[0, n] + back * low_l, heard[1, n] + back * low_r
                # Smaller numbers would slow the processor down.
                left[np.uint64(here & (size - 1))] = into_l if abs(into_l) > DEAD else 0.0
                right[np.uint64(here & (size - 1))] = into_r if abs(into_r) > DEAD else 0.0
                largest = max(largest, abs(into_l), abs(into_r))
                heard[0, n], heard[1, n] = given * into_l, given * into_r
                a, b, c = a + a_step, b + b_step, c + c_step
            state[v, 0, size] = one_l if abs(one_l) > DEAD else 0.0
            state[v, 0, size + 1] = two_l if abs(two_l) > DEAD else 0.0
            state[v, 1, size] = one_r if abs(one_r) > DEAD else 0.0
            state[v, 1, size + 1] = two_r if abs(two_r) > DEAD else 0.0
            if not math.isfinite(largest):
                state[v] = 0.0
                heard[:] = 0.0
