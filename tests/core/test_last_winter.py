"""One demo sound holds a chord for twenty minutes and is never twice the same by its measures."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest

from caligo.document import read_score, read_sound
from caligo.engine.render.engine import Engine
from caligo.movement.returns import returns_after
from caligo.signal.ticks import TICK

DEMO = Path(__file__).parents[2] / "demo"
RATE = 48_000
HEARD = 4.0
MINUTES = np.arange(1.0, 20.5, 1.5)
THIRDS = 1000.0 * 2.0 ** (np.arange(-14, 11) / 3.0)
"""Third-octave bands from 40 Hz to 10 kHz (IEC 61260-1, base two)."""


def bands(signal: np.ndarray) -> np.ndarray:
    """Levels in third-octave bands, in dB."""
    spectrum = np.abs(np.fft.rfft(signal.mean(axis=0) * np.hanning(signal.shape[1]))) ** 2
    hertz = np.fft.rfftfreq(signal.shape[1], 1.0 / RATE)
    edges = THIRDS[:, None] * 2.0 ** (np.array([-1.0, 1.0]) / 6.0)
    power = [spectrum[(hertz >= low) & (hertz < high)].sum() for low, high in edges]
    return 10.0 * np.log10(np.array(power) + 1e-9)


@pytest.mark.wide
def test_it_is_never_twice_the_same() -> None:
    """Fourteen moments in twenty minutes: no two within a decibel, about what can be noticed, in
    the mean of all bands (Fastl and Zwicker, Psychoacoustics, chapter 7, from memory)."""
    sound = read_sound(json.loads((DEMO / "sounds" / "last_winter.json").read_text()))
    score = read_score(json.loads((DEMO / "scores" / "5m2.json").read_text()))
    assert max(note.length for note in score.notes) >= 1200.0
    assert returns_after(sound, score).whole.seconds is None
    engine = Engine(sound, score)
    heard = []
    for minute in MINUTES:
        engine.start(round(60.0 * minute * RATE / TICK), most=3.0)
        heard.append(np.concatenate(list(engine.stream(round(HEARD * RATE / TICK))), axis=1))
    levels = np.array([bands(signal) for signal in heard])
    # Bands that are heard at all at one of the moments.
    audible = levels.max(axis=0) > levels.max() - 60.0
    apart = np.abs(levels[:, None] - levels[None]).mean(axis=2, where=audible[None, None])
    np.fill_diagonal(apart, np.inf)
    assert apart.min() > 1.0
    loud = [10 * np.log10(np.mean(signal**2)) for signal in heard]
    assert min(loud) > -45.0
    assert max(np.abs(signal).max() for signal in heard) < 1.0
