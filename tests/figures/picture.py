"""How loud the long view shows what it shows."""

from __future__ import annotations

import numpy as np

from caligo.measure.spectrogram import SpectrogramStream, column, row_edges
from tests.figures.figure import Figure

ROWS_LOOKED_AT = (0, 5, 13, 22, 31, 53, 66, 87, 103, 113, 150, 166, 190, 223)
STEP = 96.0 / 255.0


def shown(levels: np.ndarray) -> np.ndarray:
    return levels / 255.0 * 96.0 - 96.0


def tone_off() -> float:
    """Decibels by which a tone in the middle of a row is off, at 44.1, 48 and 96 kHz.

    A mean over eight levels within a byte, which rounds.
    """
    edges, found = row_edges(), []
    for rate in (44_100, 48_000, 96_000):
        t = np.arange(3 * rate) / rate
        for row in ROWS_LOOKED_AT:
            wave = np.sin(2.0 * np.pi * np.sqrt(edges[row] * edges[row + 1]) * t)
            off = 0.0
            for level in -12.0 - STEP * np.arange(8) / 8.0:
                tone = np.stack([10.0 ** (level / 20.0) * wave] * 2).astype(np.float32)
                off += (shown(column(tone, rate))[row] - level) / 8.0
            found.append(abs(off))
    return max(found)


def noise_off() -> float:
    """Decibels by which white noise of five minutes is off in any seven neighbouring rows."""
    found = []
    for rate in (44_100, 48_000, 96_000):
        stream, rng, columns = SpectrogramStream(rate, 0.1), np.random.default_rng(6), []
        for _ in range(300):
            columns += stream.add(rng.normal(0.0, 0.1, (2, rate)).astype(np.float32))
        powers = (10.0 ** (shown(np.array(columns[10:], float)) / 10.0)).mean(axis=0)
        off = 10.0 * np.log10(powers / (0.02 * np.diff(row_edges()) / (rate / 2.0)))
        found.append(np.abs(off.reshape(-1, 7).mean(axis=1)).max())
    return float(max(found))


FIGURES = (
    Figure("shown-tone", "Long view: a tone in the middle of a row, 27 Hz to 16 kHz, off by",
           1.0, "dB", tone_off),
    Figure("shown-noise", "Long view: white noise in seven rows, 27 Hz to 16 kHz, off by",
           1.0, "dB", noise_off),
)  # fmt: skip
