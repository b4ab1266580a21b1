"""Filters and bands against their analogue prototypes."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np
import scipy.signal

from tests.core.builders import decibels
from tests.core.effects import effect, impulse, through
from tests.core.test_more_filters import response
from tests.figures.figure import Figure

RATES = (44_100, 48_000, 96_000)
CORNERS = (150.0, 1_030.0, 4_444.0, 8_000.0, 10_700.0, 13_000.0)
HERTZ = np.geomspace(30.0, 16_000.0, 250)


def _off(found: np.ndarray, corner: float, over: list[float], under: list[float]) -> float:
    """Decibels by which a response is off where the prototype is above -50 dB."""
    _, h = scipy.signal.freqs(over, under, worN=HERTZ / corner)
    wanted = decibels(np.maximum(np.abs(h), 1e-9))
    return float(np.abs(decibels(np.abs(found)) - wanted)[wanted > -50.0].max())


def _d(width: float) -> float:
    return 2.0 * math.sinh(math.log(2.0) / 2.0 * width)


def _each(corner: float) -> Iterator[tuple[str, dict[str, object], list[float], list[float]]]:
    root, q2, q4 = math.sqrt(2.0), 1.306563 * 24.0**0.3, math.sqrt(0.5) * 24.0**0.6
    for kind, power in (("lowpass", 0), ("highpass", 1)):
        yield kind, {"slope": "6"}, [1.0, 0.0] if power else [1.0], [1.0, 1.0]
        for resonance, d in ((0.0, root), (60.0, 1.0 / q4)):
            over = [1.0, 0.0, 0.0] if power else [1.0]
            yield kind, {"slope": "12", "resonance": resonance}, over, [1.0, d, 1.0]
        steep = np.convolve([1.0, 1.0 / 0.541196, 1.0], [1.0, 1.0 / q2, 1.0]).tolist()
        yield kind, {"slope": "24", "resonance": 30.0}, [1.0] + [0.0] * 4 * power, steep
    for width in (0.1, 0.58, 2.0):
        d = _d(width)
        yield "bandpass", {"width": width}, [d, 0.0], [1.0, d, 1.0]
        for gain in (-18.0, 12.0):
            a = 10.0 ** (gain / 40.0)
            yield "peak", {"width": width, "gain": gain}, [1.0, a * d, 1.0], [1.0, d / a, 1.0]


def filters_off() -> float:
    """The most of any filter, corner and rate."""
    return max(
        _off(response(kind, HERTZ, rate, cutoff=corner, **params), corner, over, under)  # type: ignore[arg-type]
        for rate in RATES
        for corner in CORNERS
        for kind, params, over, under in _each(corner)
    )


def shelves_off() -> float:
    """The most of shelves of the equalizer, an octave and more wide, at 48 kHz."""
    found = []
    for corner in CORNERS:
        for width, gain in ((1.0, -15.0), (1.9, 12.0), (3.0, 24.0)):
            a, d = 10.0 ** (gain / 40.0), _d(width)
            root = math.sqrt(a) * d
            for shape, over, under in (
                ("low_shelf", [a, a * root, a * a], [a, root, 1.0]),
                ("high_shelf", [a * a, a * root, a], [1.0, root, a]),
            ):
                band = {"shape1": "off", "shape2": shape, "frequency2": corner, "gain2": gain,
                        "width2": width}  # fmt: skip
                heard = through(effect("equalizer", **band), impulse(2.0))[0].astype(float)
                phase = np.exp(-2j * np.pi * np.outer(HERTZ / 48_000, np.arange(24_000)))
                found.append(_off(phase @ heard[:24_000], corner, over, under))
    return max(found)


FIGURES = (
    Figure("prototypes", "Filters against analogue ones to 16 kHz, at 44.1, 48 and 96 kHz",
           1.0, "dB", filters_off),
    Figure("shelves", "Shelves of an octave and wider against analogue ones, to 16 kHz",
           1.0, "dB", shelves_off),
)  # fmt: skip
