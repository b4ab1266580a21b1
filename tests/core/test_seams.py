"""Seams of loops: the sampler's own samples, steps by arithmetic, limits."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from caligo.engine.render.offline import render_array
from caligo.material.cards import Loop
from caligo.material.seams import AFTER, AROUND, as_looped, bounds, seam
from caligo.material.store import current
from demo.build import by_name
from tests.core.builders import RATE, layer_of, one_note, plain_sound


def sine(hertz: float, seconds: float = 1.0) -> np.ndarray:
    time = np.arange(round(seconds * RATE)) / RATE
    return np.sin(2 * np.pi * hertz * time, dtype=np.float64).astype(np.float32)[None]


def test_what_is_heard_before_it_is_set_is_what_the_sampler_plays() -> None:
    """The same loop over two rounds, apart from its level."""
    key = by_name()["hummed_vowel"]
    recording = current().recording(key)
    assert recording is not None
    rate = recording.rate
    own = Loop(start=1.0, end=2.5, fade=0.3)
    heard = as_looped(recording.samples, rate, own, 1.0)[0]
    loop = heard[rate : rate + round(1.5 * rate)]
    zone = {
        "id": "zone",
        "kind": "zone",
        "params": {
            "recording": key,
            "loop": "own",
            "loop_start": own.start,
            "loop_end": own.end,
            "loop_fade": own.fade,
        },
    }
    sound = plain_sound(layer_of("sampler", [zone], follow=False))
    played = render_array(sound, one_note(60, 6.0), rate=rate)[0].astype(float)[2000:]
    whole = np.concatenate([heard[:rate], loop, loop]).astype(float)[2000:]
    played = played[: len(whole)]
    level = float(played @ whole / (whole @ whole))
    # The layer loses direct current, and with it a little of the phase of the lows.
    assert np.abs(played / level - whole).max() < 4e-3 * np.abs(whole).max()


def test_a_loop_of_whole_cycles_has_no_step() -> None:
    assert seam(sine(480), RATE, Loop(start=0.1, end=0.6, fade=0.0)).step is None


def test_a_step_is_as_large_as_arithmetic_says() -> None:
    """From a sine's crest to its trough: twice the peak, +6.02 dB."""
    quarter, period = 0.25 / 480, 1 / 480
    loop = Loop(start=0.1 + 3 * quarter, end=0.1 + 100 * period + quarter, fade=0.0)
    found = seam(sine(480), RATE, loop).step
    assert found == pytest.approx(20 * np.log10(2.0), abs=0.3)


def test_a_crossfade_takes_the_step_away() -> None:
    loop = Loop(start=0.1013, end=0.6247, fade=0.05)
    assert seam(sine(480), RATE, loop).step is None
    assert seam(sine(480), RATE, loop.model_copy(update={"fade": 0.0})).step is not None


def test_the_picture_has_the_join_in_the_middle() -> None:
    signal = np.concatenate([np.full(4800, 0.25), np.full(4800, 0.75)]).astype(np.float32)[None]
    points = seam(signal, RATE, Loop(start=0.05, end=0.15, fade=0.0)).points
    assert len(points) == 2 * round(AROUND * RATE)
    middle = len(points) // 2
    assert points[middle - 1] == 0.75
    assert points[middle] == 0.25


def test_short_loops_are_looked_at_for_one_round_to_each_side() -> None:
    found = seam(sine(480), RATE, Loop(start=0.1, end=0.1 + 1 / 480, fade=0.0))
    assert len(found.points) == 200
    assert found.step is None


@given(
    st.integers(0, 3000),
    st.floats(0, 1200),
    st.floats(0, 1200),
    st.floats(0, 10),
    st.sampled_from([8_000, 44_100, 192_000]),
)
def test_no_loop_breaks_anything(
    frames: int, start: float, end: float, fade: float, rate: int
) -> None:
    samples = np.random.default_rng(frames).standard_normal((2, frames)).astype(np.float32)
    loop = Loop(start=start, end=end, fade=fade)
    first, last, faded = bounds(start, end, fade, rate, frames)
    assert 0 <= first <= last <= frames
    assert 0 <= faded <= first
    heard = as_looped(samples, rate, loop, 0.1)
    assert heard.shape[0] == 2
    assert np.isfinite(heard).all()
    if heard.shape[1]:
        assert heard.shape[1] >= round(last) - round(first) + round(AFTER * rate)
    found = seam(samples, rate, loop)
    assert np.isfinite(found.points).all()
