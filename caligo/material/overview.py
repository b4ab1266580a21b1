"""A recording at a glance: its outline and its spectrogram over any stretch."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from caligo.material.long import PIECE, let_go, stretch

LOWEST, HIGHEST = 30.0, 20_000.0
FLOOR = -96.0
SIZES = (512, 1024, 2048, 4096)


def outline(
    samples: NDArray[np.float32], rate: int, start: float, end: float, columns: int
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """The lowest and highest sample of each column ``[columns]``, both channels together."""
    total = samples.shape[1]
    first = min(max(0, int(start * rate)), total - 1)
    last = min(max(first + 1, math.ceil(end * rate)), total)
    edges = first + (np.arange(columns + 1) * (last - first)) // columns
    low, high = np.empty(columns, np.float32), np.empty(columns, np.float32)
    looked = 0
    for c in range(columns):
        part = samples[:, edges[c] : max(edges[c] + 1, edges[c + 1])]
        low[c], high[c] = part.min(), part.max()
        looked += part.shape[1]
        if looked > PIECE:
            let_go(samples)
            looked = 0
    return low, high


def spectrogram(
    samples: NDArray[np.float32], rate: int, start: float, end: float, columns: int, rows: int
) -> NDArray[np.uint8]:
    """Levels by row of log frequency, the lowest first, and column ``[rows, columns]``.

    0 is `FLOOR` dB under full scale, 255 is full scale. The closer the look, the shorter the
    stretches that are analysed.
    """
    step = max((end - start) / columns, 1.0 / rate)
    size = next((s for s in SIZES if s >= 4.0 * step * rate), SIZES[-1])
    middles = np.round((start + (np.arange(columns) + 0.5) * step) * rate).astype(int)
    firsts = np.clip(middles - size // 2, -size, samples.shape[1])
    window = np.hanning(size).astype(np.float32)
    frames = np.array([stretch(samples, first, size) for first in firsts], np.float32) * window
    let_go(samples)
    found = 2.0 * np.abs(np.fft.rfft(frames, axis=1)) / window.sum()
    edges = LOWEST * (HIGHEST / LOWEST) ** (np.arange(rows + 1) / rows) * size / rate
    out = np.empty((rows, columns))
    for r in range(rows):
        low, high = edges[r], edges[r + 1]
        a, b = math.ceil(low), math.floor(high)
        if a <= b and a < found.shape[1]:
            out[r] = found[:, a : b + 1].max(axis=1)
        else:
            # Rows narrower than a bin lie on the line between two bins.
            i = min(int(low), found.shape[1] - 2)
            x = min(max(0.5 * (low + high) - i, 0.0), 1.0)
            out[r] = found[:, i] + x * (found[:, i + 1] - found[:, i])
    decibels = 20.0 * np.log10(np.maximum(out, 1e-9))
    levels: NDArray[np.uint8] = np.clip(
        np.round((decibels - FLOOR) * (255.0 / -FLOOR)), 0, 255
    ).astype(np.uint8)
    return levels
