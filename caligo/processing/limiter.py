"""The true-peak limiter: it looks ahead, so that nothing passes the ceiling and nothing clicks."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from caligo.kernels import device, kernel
from caligo.measure.true_peak import LARGEST_GAIN, TAPS, WEIGHTS, peaks_between
from caligo.signal.silence import DEAD
from caligo.signal.ticks import TICK

DELAY_TICKS = 2
"""Ticks by which the output is late; the engine runs so much ahead."""
DELAY = DELAY_TICKS * TICK
SMOOTHING = 80
"""Samples over which the gain is averaged; at most DELAY - TAPS / 2, so that it arrives in time."""
RELEASE = 0.25
"""Seconds in which the gain recovers by 63 %."""
SETTLING = 3.0
"""Hertz below which what the limiter adds is taken off again."""
MARGIN = 0.965
"""The gain aims a little below the ceiling, for what its own movement adds between samples."""


@device(allocates=True)
def _needed_gain(samples: np.ndarray, weights: np.ndarray, top: float, out: np.ndarray) -> None:
    """The gain that keeps each true peak at `top`; `samples` ``[2, TAPS - 1 + TICK]``."""
    largest = 0.0
    for c in range(2):
        for n in range(samples.shape[1]):
            largest = max(largest, abs(samples[c, n]))
    if largest * LARGEST_GAIN <= top:
        out[:] = 1.0
        return
    values, peaks = np.empty(TICK, np.float32), np.empty(TICK, np.float32)
    peak = np.zeros(TICK, np.float32)
    around = np.empty(
        TAPS - 1 + TICK, np.float32
    )  # next to each other in memory: kernels are quick
    for c in range(2):
        for n in range(TAPS - 1 + TICK):
            around[n] = samples[c, n]
        peaks_between(around, weights, values, peaks)
        for n in range(TICK):
            peak[n] = max(peak[n], peaks[n])
    for n in range(TICK):
        out[n] = min(1.0, top / peak[n]) if peak[n] > 0.0 else 1.0


@kernel(
    "f4[:, ::1], f8[:, ::1], f8[:, ::1], f8[:, ::1], f8[:, ::1], f8[::1], f8[::1], f4[:, ::1], "
    "f8, f8, f8",
    allocates=True,
)
def _run(  # noqa: C901, PLR0912 (one pass over the samples)
    signal: np.ndarray,
    delayed: np.ndarray,
    raw: np.ndarray,
    offset: np.ndarray,
    wanted: np.ndarray,
    lowest: np.ndarray,
    last: np.ndarray,
    weights: np.ndarray,
    ceiling: float,
    recovery: float,
    settling: float,
) -> None:
    """Limit `signal` ``[2, samples]`` in place, late by `DELAY` samples.

    Where one half of a wave is held back more than the other, direct current comes of it. What
    the limiter adds to its input is followed slowly, and taken off ahead of it.

    Parameters
    ----------
    delayed, raw
        The last samples ``[2, DELAY]``, and as they were when they came in.
    offset
        What is taken off either channel at the start and the end of the last tick ``[2, 2]``.
    wanted
        The gains wanted in the two ticks before ``[2, TICK]``, releases included.
    lowest
        The lowest gains in the windows before ``[SMOOTHING]``.
    last
        The last wanted gain, and what gains are over some time ``[2]``.
    settling
        The fraction of what a sample had added by which the offset goes on.
    """
    line = np.empty((2, DELAY + TICK))
    need = np.empty(TICK)
    gains = np.empty(SMOOTHING + TICK)
    behind = np.empty(TICK)
    came = np.empty((2, DELAY + TICK))
    for k in range(signal.shape[1] // TICK):
        for c in range(2):
            off, more = offset[c, 0], (offset[c, 1] - offset[c, 0]) / TICK
            for n in range(DELAY):
                line[c, n], came[c, n] = delayed[c, n], raw[c, n]
            for n in range(TICK):
                x = signal[c, k * TICK + n]
                x = x if math.isfinite(x) else 0.0
                came[c, DELAY + n] = x
                line[c, DELAY + n] = x - (off + n * more)
        _needed_gain(line[:, DELAY - TAPS + 1 :], weights, ceiling * MARGIN, need)
        held = last[0]
        for n in range(TICK):
            held = min(need[n], held + (1.0 - held) * recovery)
            if held > 0.999999:
                held = min(need[n], 1.0)
            need[n] = held
        last[0] = held
        # The lowest wanted gain in a window of two ticks: what is left of the tick before the
        # last, all of the last, and what has come of this one.
        low = 1.0
        for n in range(TICK - 1, -1, -1):
            behind[n] = low
            low = min(low, wanted[0, n])
        whole = 1.0
        for n in range(TICK):
            whole = min(whole, wanted[1, n])
        for n in range(SMOOTHING):
            gains[n] = lowest[n]
        ahead = 1.0
        for n in range(TICK):
            ahead = min(ahead, need[n])
            gains[SMOOTHING + n] = min(behind[n], whole, ahead)
        total, left, right, usual = 0.0, 0.0, 0.0, 0.0
        for n in range(SMOOTHING):
            total += gains[n]
        for n in range(TICK):
            total += gains[SMOOTHING + n] - gains[n]
            gain = min(total / SMOOTHING, 1.0)
            usual += gain / TICK
            x, y = line[0, n] * gain, line[1, n] * gain
            signal[0, k * TICK + n] = min(max(x, -ceiling), ceiling)
            signal[1, k * TICK + n] = min(max(y, -ceiling), ceiling)
            # What is let through as it came has no offset to be made up for.
            whole = 1.0 if gain >= 1.0 else 0.0
            left += x - whole * came[0, n]
            right += y - whole * came[1, n]
        last[1] += recovery * TICK * (usual - last[1])
        for c in range(2):
            # What is taken off comes out as much softer as the wave does.
            offset[c, 0] = offset[c, 1]
            on = offset[c, 1] + settling / max(last[1], 0.001) * (left if c == 0 else right)
            offset[c, 1] = on if abs(on) > DEAD else 0.0
            for n in range(DELAY):
                delayed[c, n], raw[c, n] = line[c, TICK + n], came[c, TICK + n]
        for n in range(TICK):
            wanted[0, n] = wanted[1, n]
            wanted[1, n] = need[n]
        for n in range(SMOOTHING):
            lowest[n] = gains[TICK + n]


class Limiter:
    """The limiter at the end of the master; late by `DELAY_TICKS`."""

    def __init__(self, decibels: float, rate: int) -> None:
        self._ceiling = 10.0 ** (decibels / 20.0)
        self._recovery = 1.0 - math.exp(-1.0 / (RELEASE * rate))
        self._settling = 2.0 * math.pi * SETTLING / rate
        self.reset()

    def reset(self) -> None:
        """Remember nothing, as before the first sound."""
        self.state: dict[str, NDArray[np.generic]] = {
            "late": np.zeros((2, DELAY)),
            "raw": np.zeros((2, DELAY)),
            "offset": np.zeros((2, 2)),
            "wanted": np.ones((2, TICK)),
            "lowest": np.ones(SMOOTHING),
            "last": np.ones(2),
        }

    def process(self, signal: NDArray[np.float32]) -> None:
        """Limit `signal` ``[2, samples]`` in place, late by `DELAY` samples."""
        state = self.state
        _run(
            signal,
            state["late"],
            state["raw"],
            state["offset"],
            state["wanted"],
            state["lowest"],
            state["last"],
            WEIGHTS,
            self._ceiling,
            self._recovery,
            self._settling,
        )

    def tail(self) -> float:
        """Seconds after which what it remembers has fallen by 60 dB."""
        return RELEASE * 6.9
