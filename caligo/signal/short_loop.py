"""Delays shorter than a tick in a loop: combs and flangers, a sample at a time."""

from __future__ import annotations

import math

import numpy as np

from caligo.kernels import device, kernel
from caligo.signal.arrays import is_zero
from caligo.signal.silence import DEAD, is_silent
from caligo.signal.ticks import TICK

SHORTEST = 3.0
"""Samples of the shortest delay: shorter ones cannot be read between samples."""


@device
def _read(line: np.ndarray, here: int, delay: float) -> float:
    """The sample so far back in a ring, by third-order Lagrange interpolation."""
    mask = np.uint64(len(line) - 1)
    whole = int(delay)
    x = delay - whole
    # Unsigned, so that no place can be counted from the ring's end.
    place, one = np.uint64(here - whole), np.uint64(1)
    y0, y1 = line[(place + one) & mask], line[place & mask]
    y2, y3 = line[(place - one) & mask], line[(place - one - one) & mask]
    p, q, r = x + 1.0, x - 1.0, x - 2.0
    found: float = (q * r * (3.0 * p * y1 - x * y0) + x * p * (q * y3 - 3.0 * r * y2)) / 6.0
    return found


@kernel(
    "f4[:, :, ::1], f8[:, :, ::1], f8[:, ::1], f8[:, ::1], f8[:, :, ::1], i8, f8[:, :, ::1]",
    allocates=True,
)
def run_short_loop(
    signal: np.ndarray,
    length: np.ndarray,
    feedback: np.ndarray,
    dark: np.ndarray,
    weights: np.ndarray,
    at: int,
    state: np.ndarray,
) -> None:
    """Pass `signal` ``[voices, 2, samples]`` through, in place; `at` is its first sample's index.

    Parameters
    ----------
    length
        Samples of the delay of each channel at every tick, or several times as often
        ``[voices, 2, points + 1]``: between two points it goes in a line.
    feedback
        Share of what is delayed that goes in again ``[voices, ticks + 1]``.
    dark
        The loop's one-pole fraction at every tick ``[voices, ticks + 1]``.
    weights
        How much is heard of what comes in, of what goes into the line, and of what comes out of
        it ``[voices, 3, ticks + 1]``.
    state
        The ring of each channel, and the one-pole's last output ``[voices, 2, size + 1]``.
    """
    size = state.shape[2] - 1
    each = (length.shape[2] - 1) // (feedback.shape[1] - 1)
    stretch = TICK // each
    for v in range(signal.shape[0]):
        for k in range(feedback.shape[1] - 1):
            heard = signal[v, :, k * TICK : (k + 1) * TICK]
            if is_silent(heard[0]) and is_silent(heard[1]) and is_zero(state[v]):
                continue
            f, f_step = feedback[v, k], (feedback[v, k + 1] - feedback[v, k]) / TICK
            s, s_step = dark[v, k], (dark[v, k + 1] - dark[v, k]) / TICK
            w, w_step = weights[v, :, k], (weights[v, :, k + 1] - weights[v, :, k]) / TICK
            largest = 0.0
            line_l, line_r = state[v, 0, :size], state[v, 1, :size]
            low_l, low_r = state[v, 0, size], state[v, 1, size]
            for point in range(each):
                i = k * each + point
                left, left_end = length[v, 0, i], length[v, 0, i + 1]
                right, right_end = length[v, 1, i], length[v, 1, i + 1]
                left_step, right_step = (left_end - left) / stretch, (right_end - right) / stretch
                # Both sides go in one loop, so that the processor overlaps them.
                for m in range(stretch):
                    n = point * stretch + m
                    here = at + k * TICK + n
                    fraction, back = s + n * s_step, f + n * f_step
                    low_l += fraction * (_read(line_l, here, left + m * left_step) - low_l)
                    low_r += fraction * (_read(line_r, here, right + m * right_step) - low_r)
                    into_l, into_r = heard[0, n] + back * low_l, heard[1, n] + back * low_r
                    # Smaller numbers would slow the processor down.
                    line_l[np.uint64(here & (size - 1))] = into_l if abs(into_l) > DEAD else 0.0
                    line_r[np.uint64(here & (size - 1))] = into_r if abs(into_r) > DEAD else 0.0
                    largest = max(largest, abs(into_l), abs(into_r))
                    given, turned = w[0] + n * w_step[0], w[1] + n * w_step[1]
                    delayed = w[2] + n * w_step[2]
                    heard[0, n] = given * heard[0, n] + turned * into_l + delayed * low_l
                    heard[1, n] = given * heard[1, n] + turned * into_r + delayed * low_r
            state[v, 0, size] = low_l if abs(low_l) > DEAD else 0.0
            state[v, 1, size] = low_r if abs(low_r) > DEAD else 0.0
            if not math.isfinite(largest):
                state[v] = 0.0
                heard[:] = 0.0
