"""Oscillators in unison stray, each slowly and by itself: no unison comes round again."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
import scipy.integrate

from caligo.document import Sound
from caligo.document.held import held_chord
from caligo.engine.render.engine import Engine
from caligo.engine.render.offline import render_array
from caligo.synthesis.unison_drift import UnisonDrift, distance_of
from demo.build import by_name
from tests.core.builders import RATE, layer_of, one_note, plain_sound
from tests.core.test_shapes_of_sources import best_repeat
from tests.sweeps import spread, widest

VOWEL = by_name()["hummed_vowel"]
KINDS: dict[str, dict[str, Any]] = {
    "wavetable": {"table": "sine"},
    "harmonic": {"count": 1},
    "operators": {},
    "sampler": {},
    "grains": {"recording": VOWEL},
    "spectral": {"recording": VOWEL, "travel": 0},
}


def in_unison(kind: str, **params: Any) -> dict[str, Any]:
    """A layer of seven oscillators over 24 ct."""
    layer = layer_of(kind, **({"unison": 7, "detune": 12} | KINDS[kind] | params))
    if kind == "sampler":
        loop = {"recording": VOWEL, "loop": "recording"}
        layer["source"]["items"] = [{"id": "zone1", "kind": "zone", "params": loop}]
    return layer


@pytest.mark.parametrize("kind", widest(list(KINDS), 2))
def test_the_level_of_a_unison_does_not_come_round(kind: str) -> None:
    """As a new sound has it: drift and irregularity as they are at first."""
    heard = render_array(plain_sound(in_unison(kind)), one_note(72, 64.0)).astype(float)
    cells = (heard[:, : 64 * RATE] ** 2).reshape(2, -1, RATE // 20).mean(axis=(0, 2))
    assert best_repeat(np.sqrt(cells[40:-40])) < 0.8


def test_a_clock_is_ahead_by_what_its_pace_adds_up_to() -> None:
    """Against a numerical integral (`scipy.integrate.cumulative_simpson`)."""
    times = np.linspace(1_700.0, 1_800.0, 100_001)
    clocks, distance = UnisonDrift(7, 1), float(distance_of(np.array(8.0)))
    ahead, pace = (found(5, times, distance, 3)[0] for found in (clocks.ahead, clocks.pace))
    added = scipy.integrate.cumulative_simpson(pace, x=times, initial=0.0)
    assert np.abs(ahead - ahead[0] - added).max() < 1e-9


def test_drift_is_about_as_far_as_is_set_and_of_each_its_own() -> None:
    times = np.linspace(0.0, 20_000.0, 200_000)
    clocks, distance = UnisonDrift(7, 1), float(distance_of(np.array(5.0)))
    paces = np.concatenate([clocks.pace(voice, times, distance)[:2] for voice in (1, 2)])
    cents = 1200.0 * np.log2(1.0 + paces)
    # Half of what is set is the root mean square, so that it is seldom passed.
    assert cents.std(axis=1) == pytest.approx(np.full(4, 2.5), rel=0.1)
    assert (np.abs(cents) < 5.0).mean() > 0.93
    together = np.corrcoef(cents) - np.eye(4)
    assert np.abs(together).max() < 0.1


@pytest.mark.parametrize(
    ("kind", "held", "rate"),
    spread(
        list(KINDS),
        [("steady", 44_100), ("moved", 48_000), ("drifting", 96_000), ("uneven", 44_100)],
    ),
)
def test_a_drifting_unison_is_exact_in_any_block_and_from_any_start(
    kind: str, held: str, rate: int
) -> None:
    layer = in_unison(kind, unison=3, drift=20)
    more: dict[str, Any] = {}
    if held == "drifting":
        layer["params"] = {"drift": 30}
    if held == "moved":
        more["modulators"] = [{"id": "m", "name": "M", "kind": "lfo"}]
        more["routes"] = [{"id": "r", "from": "m", "to": "ground.source.detune", "depth": 9}]
    if held == "uneven":
        more["modulators"] = [{"id": "m", "name": "M", "kind": "lfo"}]
        more["routes"] = [
            {"id": f"r{key}", "from": "m", "to": f"ground.source.{key}", "depth": depth}
            for key, depth in (("irregularity", 70), ("drift", 12))
        ]
    sound, score = plain_sound(layer, **more), held_chord("C1 A4 C8", 4.0)

    def heard(size: int, start: int = 0) -> np.ndarray:
        engine = Engine(sound, score, rate=rate)
        engine.start(start)
        return np.concatenate(list(engine.stream(560 - start, size, ahead=False)), axis=1)

    whole = heard(8_192)
    assert np.array_equal(whole, heard(64))
    late = heard(4_096, 351)
    assert np.abs(late - whole[:, -late.shape[1] :]).max() < 1e-6
    assert whole.std() > 0.001


@pytest.mark.parametrize("kind", ["wavetable", "harmonic", "operators"])
def test_drift_leaves_no_step_from_tick_to_tick(kind: str) -> None:
    """The third difference of a low sine, which a step of its phase would raise."""

    def roughest(sound: Sound) -> float:
        wave = render_array(sound, one_note(45, 3.0))[0][RATE : 2 * RATE].astype(float)
        return float(np.abs(np.diff(wave, 3)).max() / wave.std())

    apart = {"irregularity": 0, "detune": 40}
    still = roughest(plain_sound(in_unison(kind, drift=0, **apart)))
    assert roughest(plain_sound(in_unison(kind, drift=25, **apart))) < 1.25 * still


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize(("key", "rest", "still"), [("irregularity", 20, 80), ("drift", 5, 20)])
def test_moved_to_a_value_it_sounds_as_if_it_rested_there(
    kind: str, key: str, rest: int, still: int
) -> None:
    """A constant route against the value itself: the pitches of the oscillators, by their beats."""
    params = {"unison": 3, "detune": 40, "spread": 0, "drift": 0, "scatter": 0, "irregularity": 0}
    if kind in ("grains", "spectral", "sampler"):
        params.pop("scatter")
    layer = in_unison(kind, **params | {key: rest})
    moved = plain_sound(
        layer,
        modulators=[{"id": "m", "name": "M", "kind": "macro", "params": {"value": 100}}],
        routes=[
            {
                "id": "r",
                "from": "m",
                "to": f"ground.source.{key}",
                "depth": still - rest,
                "polarity": "unipolar",
            }
        ],
    )
    resting = plain_sound(in_unison(kind, **params | {key: still}))
    plain = plain_sound(layer)
    a, b, c = (
        render_array(x, one_note(69, 4.0)).astype(float)[:, : 3 * RATE]
        for x in (moved, resting, plain)
    )
    assert np.abs(a - b).max() < 0.02 * b.std()
    assert np.abs(c - b).max() > 0.2 * b.std()
