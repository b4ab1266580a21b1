"""Loudness by ITU-R BS.1770-4 and EBU R 128: momentary, short-term, integrated, range."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from caligo.kernels import kernel

Floats = NDArray[np.float64]

ABSOLUTE_GATE = -70.0
"""LUFS below which a block does not count (BS.1770-4, eq. 4)."""
STEP = 0.1
"""Seconds between measurements: blocks of 400 ms overlap by 75 % (BS.1770-4)."""
PARTS = 10
"""Parts of a step from which a window may begin where the loudest is looked for: a burst lies
wherever it likes (EBU Tech 3341, cases 10 and 13)."""
MOMENTARY, SHORT_TERM = 4, 30
"""Steps in the momentary (400 ms) and short-term (3 s) windows (EBU Tech 3341)."""


def k_weighting(rate: int) -> tuple[tuple[Floats, Floats], tuple[Floats, Floats]]:
    """The two biquads of K-weighting at a sample rate (BS.1770-4, tables 1 and 2).

    Each is given by its coefficients ``b`` and ``a``, both ``[3]``.

    The tables hold for 48 kHz alone; these are the analogue filters behind them, whose
    parameters are from memory, and they give the tables' numbers at 48 kHz.
    """
    k = math.tan(math.pi * 1681.974450955533 / rate)
    q = 0.7071752369554196
    high = 10.0 ** (3.999843853973347 / 20.0)
    band = high**0.4996667741545416
    norm = 1.0 + k / q + k * k
    shelf = (
        np.array([high + band * k / q + k * k, 2.0 * (k * k - high), high - band * k / q + k * k])
        / norm,
        np.array([1.0, 2.0 * (k * k - 1.0) / norm, (1.0 - k / q + k * k) / norm]),
    )
    k = math.tan(math.pi * 38.13547087602444 / rate)
    q = 0.5003270373238773
    norm = 1.0 + k / q + k * k
    pass_high = (
        np.array([1.0, -2.0, 1.0]),
        np.array([1.0, 2.0 * (k * k - 1.0) / norm, (1.0 - k / q + k * k) / norm]),
    )
    return shelf, pass_high


def lufs(power: float) -> float:
    """Loudness of a K-weighted power summed over channels (BS.1770-4, eq. 2)."""
    return -0.691 + 10.0 * math.log10(power) if power > 0.0 else -math.inf


@kernel("f8[:, ::1], f8[::1], f8[::1], f8[:, ::1]")
def _weigh(x: np.ndarray, b: np.ndarray, a: np.ndarray, state: np.ndarray) -> None:
    """One biquad, transposed direct form II: `x` ``[2, samples]``, `state` ``[2, 2]``."""
    for channel in range(2):
        first, second = state[channel, 0], state[channel, 1]
        for n in range(x.shape[1]):
            value = x[channel, n]
            y = b[0] * value + first
            first = b[1] * value - a[1] * y + second
            second = b[2] * value - a[2] * y
            x[channel, n] = y
        state[channel, 0], state[channel, 1] = first, second


class LoudnessMeter:
    """Loudness of a stereo signal that arrives in pieces."""

    def __init__(self, rate: int) -> None:
        self.rate = rate
        self._filters = k_weighting(rate)
        self._states = [np.zeros((2, 2)) for _ in self._filters]
        self._step = round(rate * STEP)
        self._parts = np.arange(PARTS) * self._step // PARTS
        self._rest = np.zeros((2, 0))
        self._energies: list[Floats] = []
        self.powers: list[float] = []

    def add(self, signal: NDArray[np.float32]) -> None:
        """Take in `signal` ``[2, samples]``."""
        weighted = signal.astype(np.float64)
        for (b, a), state in zip(self._filters, self._states, strict=True):
            _weigh(weighted, b, a, state)
        joined = np.concatenate([self._rest, weighted], axis=1)
        steps = joined.shape[1] // self._step
        whole = joined[:, : steps * self._step].reshape(2, steps, self._step) ** 2
        self.powers.extend(np.mean(whole, axis=2).sum(axis=0).tolist())
        self._energies.append(np.add.reduceat(whole.sum(axis=0), self._parts, axis=1).ravel())
        self._rest = joined[:, steps * self._step :]

    def _windows(self, steps: int) -> Floats:
        """Mean power of every window of so many steps, one at each step."""
        powers = np.array(self.powers)
        if len(powers) < steps:
            return np.zeros(0)
        sums = np.concatenate([[0.0], np.cumsum(powers)])
        found: Floats = np.maximum(sums[steps:] - sums[:-steps], 0.0) / steps
        return found

    def momentary(self) -> list[float]:
        """Momentary loudness in LUFS at every step from 0.4 s on."""
        return [lufs(p) for p in self._windows(MOMENTARY)]

    def short_term(self) -> list[float]:
        """Short-term loudness in LUFS at every step from 3 s on."""
        return [lufs(p) for p in self._windows(SHORT_TERM)]

    def _loudest(self, steps: int) -> float:
        """The loudest window of so many steps in LUFS, wherever it begins."""
        energies = np.concatenate([np.zeros(1), *self._energies])
        window = steps * PARTS
        if len(energies) <= window:
            return -math.inf
        sums = np.cumsum(energies)
        return lufs(float((sums[window:] - sums[:-window]).max()) / (steps * self._step))

    def loudest_momentary(self) -> float:
        """The greatest momentary loudness in LUFS, to a hundredth of a second (EBU Tech 3341)."""
        return self._loudest(MOMENTARY)

    def loudest_short_term(self) -> float:
        """The greatest short-term loudness in LUFS, to a hundredth of a second."""
        return self._loudest(SHORT_TERM)

    def integrated(self) -> float:
        """Integrated loudness in LUFS, gated twice (BS.1770-4, eq. 3 to 7)."""
        powers = self._windows(MOMENTARY)
        loud = powers[powers > 10.0 ** ((ABSOLUTE_GATE + 0.691) / 10.0)]
        if not len(loud):
            return -math.inf
        relative = loud.mean() * 10.0**-1.0  # 10 LU below (eq. 6)
        return lufs(float(loud[loud > relative].mean()))

    def range(self) -> float:
        """Loudness range in LU (EBU Tech 3342): 10th to 95th percentile of short-term loudness."""
        powers = self._windows(SHORT_TERM)
        loud = powers[powers > 10.0 ** ((ABSOLUTE_GATE + 0.691) / 10.0)]
        if not len(loud):
            return 0.0
        kept = loud[loud > loud.mean() * 0.01]  # 20 LU below
        low, high = np.percentile(10.0 * np.log10(kept), [10.0, 95.0])
        return float(high - low)
