"""The pitch of a recording.

YIN: de Cheveigné and Kawahara, "YIN, a fundamental frequency estimator for speech and music",
J. Acoust. Soc. Am. 111 (2002), equations (6), (8) and the parabolic interpolation of step 5.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from caligo.material.long import let_go, pieces, stretch
from caligo.signal import fourier

LOWEST = 25.0
HIGHEST = 4500.0
THRESHOLD = 0.15
SETTLED = 0.35
"""Dips less deep than this are no pitch."""
MOST_FRAMES = 240


@dataclass(frozen=True, slots=True)
class Pitch:
    """A pitch in Hz, and how steady and clear it is, 0 to 1."""

    hertz: float
    clarity: float

    @property
    def key(self) -> float:
        """The MIDI key with fractions; A4 = 440 Hz is 69 (ISO 16)."""
        return 69.0 + 12.0 * math.log2(self.hertz / 440.0)


def _difference(frame: NDArray[np.float64], lags: int) -> NDArray[np.float64]:
    """Equation (6): the squared difference of a frame and itself, `lag` later ``[lags]``."""
    window = len(frame) - lags
    size = fourier.next_fast_len(2 * len(frame))
    head = fourier.rfft(frame[:window], size)
    both = fourier.irfft(np.conj(head) * fourier.rfft(frame, size), size)[:lags]
    energy = np.concatenate([[0.0], np.cumsum(frame**2)])
    moved = energy[window : window + lags] - energy[:lags]
    found: NDArray[np.float64] = energy[window] + moved - 2.0 * both
    return np.maximum(found, 0.0)


def _cumulative(difference: NDArray[np.float64]) -> NDArray[np.float64]:
    """Equation (8): the difference over its mean at all shorter lags."""
    out = np.ones_like(difference)
    total = np.cumsum(difference[1:])
    lags = np.arange(1, len(difference))
    out[1:] = difference[1:] * lags / np.maximum(total, 1e-20)
    return out


def _dip(normal: NDArray[np.float64], shortest: int) -> tuple[float, float] | None:
    """The lag of the first dip below the threshold, else of the deepest, and its depth."""
    below = np.flatnonzero(normal[shortest:-1] < THRESHOLD)
    if len(below):
        lag = shortest + int(below[0])
        while lag + 1 < len(normal) - 1 and normal[lag + 1] < normal[lag]:
            lag += 1
    else:
        lag = shortest + int(normal[shortest:-1].argmin())
    if not 1 <= lag < len(normal) - 1 or normal[lag] > SETTLED:
        return None
    period, depth = _bottom(normal, lag), float(normal[lag])
    # Twice the period, and twice that: the longer the lag, the finer it tells the period.
    times = 1
    while 2.0 * times * period < len(normal) - 3:
        near = round(2 * times * period)
        deepest = near - 1 + int(normal[near - 1 : near + 2].argmin())
        if normal[deepest] > SETTLED:
            break
        times *= 2
        period = _bottom(normal, deepest) / times
    return period, depth


def _bottom(normal: NDArray[np.float64], lag: int) -> float:
    """Where between samples a dip is deepest, by a parabola."""
    a, b, c = normal[lag - 1 : lag + 2]
    bend = a - 2.0 * b + c
    return lag + float(0.5 * (a - c) / bend if bend > 0.0 else 0.0)


def follow_pitch(
    samples: NDArray[np.float32], rate: int, times: NDArray[np.float64]
) -> NDArray[np.float64]:
    """The pitch in Hz around each of `times` in seconds ``[times]``; NaN where there is none."""
    lags = math.ceil(rate / LOWEST)
    size = 2 * lags + lags // 2
    out = np.full(len(times), np.nan)
    squares = sum(float(np.sum(p.mean(axis=0) ** 2)) for _, p in pieces(samples))
    floor = 1e-7 * max(squares / samples.shape[1], 1e-20) * size
    for i, time in enumerate(times):
        first = min(max(0, round(time * rate)), samples.shape[1])
        frame = stretch(samples, first - size // 2, size)
        if np.sum(frame**2) <= floor:
            continue
        found = _dip(_cumulative(_difference(frame, lags)), max(2, int(rate / HIGHEST)))
        if found is not None:
            out[i] = rate / found[0]
    return out


def _level(samples: NDArray[np.float32], middle: int, half: int) -> float:
    """The root mean square of both channels together around a frame."""
    mono = samples[:, max(0, middle - half) : middle + half].mean(axis=0)
    let_go(samples)
    return float(np.sqrt(np.mean(mono**2)))


def detect(samples: NDArray[np.float32], rate: int) -> Pitch | None:
    """The pitch that a recording keeps for most of its length, if any.

    Parameters
    ----------
    samples : ndarray
        A recording ``[channels, samples]``.
    rate : int
        Samples per second.

    Returns
    -------
    Pitch or None

    Examples
    --------
    >>> t = np.arange(48_000) / 48_000.0
    >>> round(detect(np.sin(2.0 * np.pi * 220.0 * t)[None].astype(np.float32), 48_000).hertz)
    220
    """
    seconds = samples.shape[1] / rate
    count = int(min(MOST_FRAMES, max(8, seconds / 0.025)))
    times = (np.arange(count) + 0.5) * seconds / count
    hertz = follow_pitch(samples, rate, times)
    half = max(1, int(0.5 * seconds / count * rate))
    weight = np.array([_level(samples, round(t * rate), half) for t in times])
    heard = np.isfinite(hertz) & (weight > 0.02 * weight.max(initial=0.0))
    audible = weight > 0.02 * weight.max(initial=0.0)
    if np.count_nonzero(heard) < max(2, 0.3 * np.count_nonzero(audible)):
        return None
    octaves, shares = np.log2(hertz[heard]), weight[heard]
    order = np.argsort(octaves)
    middle = np.searchsorted(np.cumsum(shares[order]), 0.5 * shares.sum())
    centre = octaves[order][min(int(middle), len(order) - 1)]
    near = np.abs(octaves - centre) < 1.0 / 12.0
    steady = float(shares[near].sum() / weight[audible].sum())
    if steady < 0.3:
        return None
    return Pitch(float(2.0 ** np.average(octaves[near], weights=shares[near])), steady)
