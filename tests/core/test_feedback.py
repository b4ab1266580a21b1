"""Feedback around filters: the closed loop by `scipy.signal`, bounds, drive, and what is heard."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest
import scipy.signal

from caligo.catalogue import catalogue
from caligo.engine.listening.live import Listening
from caligo.engine.render.changes import changes_between
from caligo.engine.render.engine import SMALL_BLOCK
from caligo.engine.render.offline import render_array
from caligo.processing.feedback import MOST
from caligo.signal.fed_sections import Sections, run_fed
from caligo.signal.ticks import TICK
from tests.core.builders import decibels, one_note, plain_layer, plain_sound
from tests.core.test_drive import given, loudness
from tests.core.test_more_filters import through

RATE = 48_000
FED = [m.kind for m in catalogue() if m.family == "filter" and m.parameter("loop_drive")]
LENGTH = 1_024 * TICK
STILL: dict[str, list[tuple[float, float, float]]] = {
    "low": [(700.0, 1.0 / 0.9, 0.0)],
    "steep": [(2_500.0, 1.8, 0.0), (2_500.0, 0.4, 0.0)],
    "bells": [(300.0, 0.8, 1.0), (5_000.0, 0.3, 1.0)],
}
"""Corners in Hz, 1 / Q and weights of the band-pass of sections."""


def section(hertz: float, damping: float, band: float, direct: float, low: float) -> Any:
    """A section as a transfer function: the analogue one by the bilinear transform."""
    w = 2.0 * RATE * math.tan(math.pi * hertz / RATE)
    b = [direct, (direct + band) * damping * w, (direct + low) * w * w]
    return scipy.signal.bilinear(b, [1.0, damping * w, w * w], RATE)


def off_the_closed_loop(name: str, feedback: float) -> float:
    """Decibels of what differs from the loop closed by hand, ``H / (1 - k z^-1 H)``, unbent."""
    direct, low = (1.0, 0.0) if name == "bells" else (0.0, 1.0)
    sections = STILL[name]
    b, a = np.ones(1), np.ones(1)
    for hertz, damping, band in sections:
        own = section(hertz, damping, band, direct, low)
        b, a = np.convolve(b, own[0]), np.convolve(a, own[1])
    peak = np.abs(scipy.signal.freqz(b, a, 20_000)[1]).max()
    closed = np.append(a, 0.0) - feedback / peak * np.insert(b, 0, 0.0)
    signal = np.random.default_rng(5).standard_normal((1, 2, LENGTH)).astype(np.float32)
    expected = scipy.signal.lfilter(b, closed, math.sqrt(1.0 - feedback**2) * signal[0])
    ticks = np.ones((1, LENGTH // TICK + 1))
    rows = np.array(sections)[None, :, :, None, None] * np.ones((2, ticks.shape[1]))
    g, d = np.tan(np.pi * rows[:, :, 0] / RATE), rows[:, :, 1]
    numbers = np.stack([g, d, direct + 0.0 * d, rows[:, :, 2] * d, low + 0.0 * d])
    each = [np.ascontiguousarray(numbers[:, :, s]) for s in range(len(sections))]
    made = Sections(each, False, peak * ticks)
    state = np.zeros((1, 2, 2 * len(sections) + 1))
    run_fed(signal, made, feedback * ticks, 0.0 * ticks, ticks, state)
    return float(decibels(np.abs(signal[0] - expected).max() / np.abs(expected).max()))


@pytest.mark.parametrize("name", STILL)
@pytest.mark.parametrize("feedback", [0.0, 0.4, -0.7, 0.95])
def test_the_loop_is_that_of_scipy(name: str, feedback: float) -> None:
    assert off_the_closed_loop(name, feedback) < -100.0


def test_every_filter_without_a_loop_of_its_own_may_feed_itself() -> None:
    own = {m.kind for m in catalogue() if m.family == "filter"} - set(FED)
    assert own == {"comb", "allpass", "ladder"}


@pytest.mark.parametrize("kind", FED)
@pytest.mark.parametrize("feedback", [-100.0, -60.0, 60.0, 100.0])
def test_fed_back_a_filter_stays_bounded_and_fades(kind: str, feedback: float) -> None:
    resonant = {"resonance": 90.0} if kind in ("lowpass", "highpass") else {}
    wave = np.stack([given()["chord"]] * 2).astype(np.float32)
    wave[:, 2 * RATE :] = 0.0
    heard = through(kind, wave, feedback=feedback, loop_drive=12.0, **resonant)
    assert np.isfinite(heard).all()
    assert np.abs(heard).max() < 20.0 * np.abs(wave).max()
    late = np.abs(heard[:, round(2.9 * RATE) :]).max()
    assert decibels(late / np.abs(heard).max()) < -12.0


@pytest.mark.parametrize("slope", ["6", "12", "24"])
@pytest.mark.parametrize("kind", ["lowpass", "highpass"])
def test_a_little_feedback_is_nearly_none(kind: str, slope: str) -> None:
    """The sections in the loop are those of the filter without it, first order included."""
    wave = np.stack([given()["noise"]] * 2).astype(np.float32)
    plain = through(kind, wave.copy(), slope=slope, resonance=40.0)
    fed = through(kind, wave.copy(), slope=slope, resonance=40.0, feedback=1e-3)
    assert decibels(np.abs(plain - fed).max() / np.abs(plain).max()) < -80.0


@pytest.mark.parametrize("kind", FED)
def test_feedback_colours_and_its_drive_tames(kind: str) -> None:
    wave = np.stack([given()["pad"]] * 2).astype(np.float32)
    plain, fed, driven = (
        through(kind, wave.copy(), **params)[0]
        for params in ({}, {"feedback": 90.0}, {"feedback": 90.0, "loop_drive": 30.0})
    )
    assert np.abs(np.corrcoef(plain, fed)[0, 1]) < 0.9999
    assert np.abs(fed - driven).max() > 0.01 * np.abs(fed).max()
    assert abs(loudness(fed) - loudness(plain)) < 14.0
    assert MOST < 1.0


def test_feedback_begins_while_listening_on_either_side_of_none() -> None:
    def fed(feedback: float) -> Any:
        params = {"feedback": feedback, "cutoff": 900.0}
        layer = plain_layer(table="saw") | {
            "filters": [{"id": "f", "kind": "lowpass", "params": params}]
        }
        return plain_sound(layer)

    assert changes_between(fed(0.0), fed(-40.0)) is None
    assert changes_between(fed(40.0), fed(0.0)) is None
    assert changes_between(fed(-40.0), fed(70.0))
    score = one_note(57, 20.0)
    listening = Listening(fed(0.0), score)
    for _ in range(20):
        listening.block()
    listening.edit(fed(-80.0))
    for _ in range(60):
        listening.block()
    heard = np.concatenate([listening.block() for _ in range(20)], axis=1)
    fresh = render_array(fed(-80.0), score, length=5.0)
    whole = fresh[:, 80 * SMALL_BLOCK :][:, : heard.shape[1]]
    assert decibels(np.abs(heard - whole).max() / np.abs(whole).max()) < -60.0
