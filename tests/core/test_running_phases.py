"""Running phases that begin anew: a start at any minute is quick, and nothing is heard of it."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from caligo.engine.render.engine import Engine
from caligo.engine.render.offline import render_array
from caligo.material.store import MaterialStore
from caligo.signal.ticks import TICK
from caligo.sources import spectral
from caligo.synthesis.analysis import HOP
from caligo.synthesis.running import PERIOD, begin_anew, heard, oldest, random_phases
from tests.core.builders import RATE, decibels, layer_of, one_note, plain_sound
from tests.core.test_sources_of_material import NAMES, moving, shelf, taken

__all__ = ["shelf"]

SEED = np.uint64(11)
BORDER = PERIOD * HOP / RATE
"""Seconds after which a voice's phases begin anew."""


def run(frames: int, phase: float, since: int = 0) -> np.ndarray:
    """What is heard of four bins that all turn alike, frame by frame ``[frames - since, 4]``."""
    phases, out = np.zeros((2, 4)), np.empty((frames - since, 4))
    for frame in range(since, frames):
        begin_anew.called(SEED, frame, phases)
        phases[:] = (phases + phase) % 1.0
        heard.called(phases, frame, out[frame - since])
    return out


@given(began=st.integers(-5, 10**6), later=st.integers(0, 10**6))
def test_the_oldest_frame_is_a_beginning_at_most_two_periods_ago(began: int, later: int) -> None:
    since = oldest(began + later, began)
    assert began <= since <= began + later
    assert (since - began) % PERIOD == 0
    assert began + later - since < 2 * PERIOD


@given(phase=st.floats(0.0, 1.0), frames=st.integers(1, 4 * PERIOD))
def test_what_came_before_the_oldest_frame_does_not_matter(phase: float, frames: int) -> None:
    whole = run(frames, phase)
    late = run(frames, phase, oldest(frames - 1, 0))
    np.testing.assert_array_equal(whole[-1], late[-1])


def test_a_steady_bin_is_detuned_by_less_than_a_tenth_of_a_hertz() -> None:
    """Half a cycle over a period, at the steepest of a smooth step one and a half times that."""
    turned = np.diff(run(5 * PERIOD, 0.3), axis=0)
    wrong = (turned - 0.3 + 0.5) % 1.0 - 0.5
    assert np.abs(wrong).max() <= 0.75 / PERIOD + 1e-9
    assert np.abs(wrong).max() * RATE / HOP < 0.1
    # The phases do begin anew, or the bound would say nothing.
    assert np.abs(wrong).max() > 1e-5


def test_neighbours_begin_alike_and_others_do_not() -> None:
    first, second = np.empty(64), np.empty(64)
    random_phases(SEED, 0, first)
    random_phases(SEED, 1, second)
    assert len(np.unique(first)) == len(np.unique(second)) == 16
    assert not np.intersect1d(first, second).size


def test_a_frozen_sine_keeps_its_level_and_pitch_for_a_minute(
    shelf: MaterialStore, tmp_path: Any
) -> None:
    """Through five new beginnings: no second louder or softer, no cent higher or lower."""
    hertz = 440.0
    n = np.arange(4 * RATE)
    key = taken(shelf, tmp_path, 0.3 * np.sin(2 * np.pi * hertz / RATE * n)[None, :])
    layer = layer_of("spectral", recording=key, travel=0, scatter=0, width=0, follow=False)
    signal = render_array(plain_sound(layer), one_note(69, 60.0))[0][RATE:]
    seconds = signal[: 58 * RATE].reshape(58, RATE)
    levels = decibels(np.sqrt(np.mean(seconds**2, axis=1)))
    assert np.ptp(levels) < 0.1
    # The phase against a sine of the recorded pitch, from second to second.
    against = seconds @ np.exp(-2j * np.pi * hertz / RATE * np.arange(RATE))
    drift = np.abs(np.diff(np.unwrap(np.angle(against)))) / (2 * np.pi)
    assert 1200 * np.log2((hertz + drift.max()) / hertz) < 0.5
    assert drift.max() > 0.005


@pytest.mark.parametrize("after", [0.4, 1.0, 1.1, 2.2])
def test_a_start_equals_the_slice_around_new_beginnings(after: float) -> None:
    layer = layer_of("spectral", recording=NAMES["bowed_wire"], formants=40)
    sound = moving(layer, travel=1.0, shift=60.0)
    score = one_note(50, 3.0 * BORDER)
    score.notes[0].start = 0.35
    whole = render_array(sound, score)
    later = render_array(sound, score, start=after * BORDER)
    np.testing.assert_allclose(later, whole[:, -later.shape[1] :], atol=1e-5)


@pytest.mark.parametrize("minutes", [1, 20])
def test_a_late_start_runs_no_more_than_two_periods(
    minutes: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    advanced = 0
    real = spectral.run_frames

    def counted(state: np.ndarray, values: np.ndarray, *rest: Any) -> None:
        nonlocal advanced
        advanced += len(values)
        real(state, values, *rest)

    monkeypatch.setattr(spectral, "run_frames", counted)
    sound = moving(layer_of("spectral", recording=NAMES["bowed_wire"]), travel=0.5)
    engine = Engine(sound, one_note(50, 1500.0))
    engine.start(minutes * 60 * RATE // TICK)
    assert engine.render(16).std() > 0.001
    assert PERIOD < advanced < 2 * PERIOD


def test_a_rough_picture_reads_where_the_sound_will_read() -> None:
    """Without adding up, a moved travel is close to where it really comes to."""
    sound = moving(layer_of("spectral", recording=NAMES["bowed_wire"], position=0), travel=0.4)
    from_minute = 45 * RATE // TICK

    def place(preview: bool) -> float:
        engine = Engine(sound, one_note(50, 120.0), preview=preview)
        engine.start(from_minute)
        engine.render(16)
        source = engine.layers["ground"].voices.source
        frames = next(iter(source._recent._by_voice.values()))
        return float(frames[max(frames)].after[-1])

    assert place(True) == pytest.approx(place(False), rel=0.05, abs=3.0)
