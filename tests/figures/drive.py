"""Figures of drive: loudness and brightness by steps, in every filter and in effects."""

from __future__ import annotations

import itertools
from collections.abc import Iterator

import numpy as np

from caligo.catalogue import catalogue
from tests.core.effects import effect
from tests.core.effects import through as through_effect
from tests.core.test_drive import Floats, brightness, given, loudness
from tests.core.test_feedback import STILL, off_the_closed_loop
from tests.core.test_more_filters import through
from tests.figures.figure import Figure

STEPS = (0.0, 6.0, 12.0, 18.0, 24.0)
LEVELS = (-38.0, -25.0, -9.0)
FILTERS = [m.kind for m in catalogue() if m.family == "filter"]
DARK = ("lowpass", "ladder", "vowel")
"""Filters behind which no source has highs of its own."""


def _at(name: str, level: float) -> np.ndarray:
    """A signal at a level on both sides."""
    return (np.stack([given()[name]] * 2) * 10.0 ** ((level + 25.0) / 20.0)).astype(np.float32)


def _filtered(kind: str, name: str, level: float) -> list[Floats]:
    return [through(kind, _at(name, level), drive=step)[0] for step in STEPS]


def _all(kinds: list[str] | tuple[str, ...]) -> Iterator[list[Floats]]:
    for kind, name, level in itertools.product(kinds, given(), LEVELS):
        yield _filtered(kind, name, level)


def _off(heard: list[Floats]) -> float:
    levels = [loudness(one) for one in heard]
    return max(abs(level - levels[0]) for level in levels)


def filters_off() -> float:
    """LU by which drive of 6 to 24 dB changes a signal behind a filter."""
    return max(_off(heard) for heard in _all(FILTERS))


def least_step() -> float:
    """The least that a step of drive adds above 2 kHz in a dark filter, below 0."""
    return max(-float(np.diff([brightness(one) for one in heard]).min()) for heard in _all(DARK))


def effects_off() -> float:
    """LU by which saturation and folder of 0 to 24 dB change a signal."""
    worst = 0.0
    kinds = [("saturation", {"curve": curve}) for curve in ("soft", "tape", "hard")]
    for (kind, params), name, level in itertools.product([*kinds, ("folder", {})], given(), LEVELS):
        signal = _at(name, level)
        heard = [through_effect(effect(kind, drive=step, **params), signal)[0] for step in STEPS]
        worst = max(worst, _off([signal[0], *heard]))
    return worst


def loop_off() -> float:
    """What differs from filters' loops closed by `scipy.signal`, under the loudest of them."""
    loops = itertools.product(STILL, (-0.97, -0.31, 0.13, 0.66, 0.97))
    return max(off_the_closed_loop(name, feedback) for name, feedback in loops)


FIGURES = (
    Figure("filter-loop", "Feedback around filters, against the loop closed by scipy.signal",
           -100.0, "dB", loop_off),
    Figure("drive-loudness", "Drive of 6 to 24 dB in every filter: loudness off by", 1.5, "LU",
           filters_off),
    Figure("drive-effects", "The same in saturation and folder", 1.5, "LU", effects_off),
    Figure("drive-steps", "What a step of drive adds above 2 kHz behind a dark filter, at least, "
           "below 0", 0.0, "dB", least_step),
)  # fmt: skip
