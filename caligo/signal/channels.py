"""Stereo signals whose sides are changed apart, or into each other."""

from __future__ import annotations

import numpy as np

from caligo.kernels import kernel
from caligo.signal.silence import DEAD
from caligo.signal.ticks import TICK


@kernel("f4[:, ::1], f8[:, ::1]")
def scale_channels(signal: np.ndarray, gains: np.ndarray) -> None:
    """Multiply `signal` ``[2, samples]`` in place by gains at every tick ``[2, ticks + 1]``."""
    for c in range(2):
        for k in range(gains.shape[1] - 1):
            g, step = gains[c, k], (gains[c, k + 1] - gains[c, k]) / TICK
            tick = signal[c, k * TICK : (k + 1) * TICK]
            for n in range(TICK):
                tick[n] *= np.float32(g + n * step)


@kernel("f4[:, ::1], f8[:, :, ::1]", allocates=True)
def mix_channels(signal: np.ndarray, across: np.ndarray) -> None:
    """Make new sides of `signal` ``[2, samples]`` in place.

    `across` ``[2, 2, ticks + 1]`` are the gains at every tick from a channel (second) to one
    (first).
    """
    for k in range(across.shape[2] - 1):
        a, b, c, d = across[0, 0, k], across[0, 1, k], across[1, 0, k], across[1, 1, k]
        steps = (across[:, :, k + 1] - across[:, :, k]) / TICK
        for n in range(TICK):
            left, right = signal[0, k * TICK + n], signal[1, k * TICK + n]
            signal[0, k * TICK + n] = a * left + b * right
            signal[1, k * TICK + n] = c * left + d * right
            a += steps[0, 0]
            b += steps[0, 1]
            c += steps[1, 0]
            d += steps[1, 1]


@kernel("f4[:, ::1], f8[::1], f8[::1], f8[::1]")
def thin_difference(
    signal: np.ndarray, width: np.ndarray, cutoff: np.ndarray, state: np.ndarray
) -> None:
    """Scale what differs between the channels, and take its lows away, in place.

    Parameters
    ----------
    signal
        ``[2, samples]``.
    width
        The factor of the difference at every tick ``[ticks + 1]``.
    cutoff
        ``tan(pi f / rate)`` of the frequency below which both channels are the same, at every tick
        ``[ticks + 1]``; nothing is taken away where it is 0. A second-order high-pass, maximally
        flat (see `caligo.signal.state_variable`).
    state
        Its integrators ``[2]``; carried on.
    """
    s1, s2 = state[0], state[1]
    d = np.sqrt(2.0)
    for k in range(len(width) - 1):
        g, g_step = cutoff[k], (cutoff[k + 1] - cutoff[k]) / TICK
        w, w_step = width[k], (width[k + 1] - width[k]) / TICK
        for n in range(TICK):
            i = k * TICK + n
            middle = 0.5 * (signal[0, i] + signal[1, i])
            difference = 0.5 * (signal[0, i] - signal[1, i])
            a1 = 1.0 / (1.0 + g * (g + d))
            y = difference - s2
            band = a1 * (s1 + g * y)
            low = s2 + g * band
            s1, s2 = 2.0 * band - s1, 2.0 * low - s2
            difference = (difference - d * band - low) * w
            signal[0, i] = middle + difference
            signal[1, i] = middle - difference
            g += g_step
            w += w_step
    state[0] = s1 if abs(s1) > DEAD else 0.0
    state[1] = s2 if abs(s2) > DEAD else 0.0
