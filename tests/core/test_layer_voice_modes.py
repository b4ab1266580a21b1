"""Layers that play notes in a voice mode of their own: a mono bass under a pad."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from caligo.document import Note, Score, Sound, read_sound
from caligo.engine.render.offline import render_array
from caligo.engine.stems.keys import stem_key
from caligo.engine.views.trajectories import TrajectoryView
from tests.core.builders import RATE, decibels, heard_pitch, plain_layer

PAD = (60, 64, 67)
"""Keys held all along, above what the bass plays."""
BASS = ((0.0, 2.0, 40), (1.0, 2.0, 45), (2.5, 1.5, 36))
"""Start, length and key of the bass's notes, which overlap."""
GLIDE = {"value": 0.25, "unit": "s"}


def layer(id: str, params: dict[str, Any] | None = None) -> dict[str, Any]:
    return {**plain_layer(table="saw"), "id": id, "name": id, "params": params or {}}


def sound_of(*layers: dict[str, Any], **params: Any) -> Sound:
    return read_sound({"name": "Test", "layers": list(layers), "params": params})


def score_of(*, pad: bool = True, bass: bool = True) -> Score:
    notes = [Note(id=f"p{key}", pitch=key, start=0.3, length=3.5) for key in PAD if pad]
    notes += [
        Note(id=f"b{key}", pitch=key, start=at, length=length) for at, length, key in BASS if bass
    ]
    return Score(length=4.5, notes=notes)


LOW = {"key_high": 59}
HIGH = {"key_low": 60}


@pytest.mark.parametrize("mode", ["mono", "legato"])
def test_a_bass_in_one_line_lies_under_a_pad_of_many_notes(mode: str) -> None:
    """It is the sum of both alone: of a mono sound over the low notes, and of the pad."""
    own = LOW | {"voice_mode": mode, "glide": GLIDE}
    both = render_array(sound_of(layer("bass", own), layer("pad", HIGH)), score_of())
    line = sound_of(layer("bass", LOW), mode=mode, glide=GLIDE)
    bass = render_array(line, score_of(pad=False))
    pad = render_array(sound_of(layer("pad", HIGH)), score_of(bass=False))
    assert decibels(np.abs(both - bass - pad).max() / np.abs(both).max()) < -110.0
    assert np.abs(bass).max() > 0.01
    plain = render_array(sound_of(layer("bass", LOW)), score_of(pad=False))
    assert decibels(np.abs(plain - bass).max()) > -40.0


def test_a_layer_may_play_all_notes_where_the_sound_plays_one() -> None:
    own = sound_of(layer("pad", {"voice_mode": "poly"}), mode="mono")
    expected = render_array(sound_of(layer("pad")), score_of())
    assert np.array_equal(render_array(own, score_of()), expected)


def test_the_line_glides_as_long_as_it_says() -> None:
    own = {"voice_mode": "legato", "glide": {"value": 1.0, "unit": "s"}}
    notes = [
        Note(id="a", pitch=45, start=0.0, length=1.0),
        Note(id="b", pitch=57, start=1.0, length=2.0),
    ]
    heard = render_array(sound_of(layer("bass", own)), Score(length=3.0, notes=notes))[0]

    def pitch(start: float, end: float) -> float:
        return heard_pitch(heard[int(start * RATE) : int(end * RATE)], RATE, 60.0, 300.0)

    assert pitch(0.3, 0.9) == pytest.approx(110.0, rel=1e-3)
    # Halfway of an octave, in even semitones.
    assert pitch(1.45, 1.55) == pytest.approx(110.0 * 2.0**0.5, rel=0.01)
    assert pitch(2.2, 2.8) == pytest.approx(220.0, rel=1e-3)


@pytest.mark.parametrize("by", ["ring", "phase"])
def test_a_layer_that_modulates_another_follows_its_voices(by: str) -> None:
    amount = {"ring": {"ring_amount": 80}, "phase": {"phase_depth": 90}}[by]
    own = {f"{by}_by": "layer", f"{by}_layer": "other", "voice_mode": "mono", **amount}
    quiet = {"level": -80, "octave": -1}
    made = sound_of(layer("ground", own), layer("other", quiet))
    other_mode = sound_of(layer("ground", own), layer("other", quiet | {"voice_mode": "mono"}))
    as_sound = sound_of(
        layer("ground", {k: v for k, v in own.items() if k != "voice_mode"}),
        layer("other", quiet),
        mode="mono",
    )
    expected = render_array(as_sound, score_of())
    assert np.array_equal(render_array(other_mode, score_of()), expected)
    assert decibels(np.abs(render_array(made, score_of()) - expected).max()) < -70.0


def test_blocks_and_threads_make_no_difference() -> None:
    own = LOW | {"voice_mode": "mono", "glide": GLIDE}
    made = sound_of(layer("bass", own), layer("pad", HIGH))
    expected = render_array(made, score_of(), ahead=False)
    assert np.array_equal(render_array(made, score_of(), block=64, ahead=False), expected)
    assert np.array_equal(render_array(made, score_of(), threads=2), expected)


def test_a_stem_depends_on_its_own_line_alone() -> None:
    def key(params: dict[str, Any], score: Score) -> str:
        made = sound_of(layer("bass", LOW | params))
        return stem_key(made, made.layers[0], score, RATE, False)

    mono = {"voice_mode": "mono"}
    assert key(mono, score_of()) == key(mono, score_of(pad=False))
    assert key(mono, score_of()) != key({}, score_of())
    assert key(mono, score_of()) != key(mono | {"glide": GLIDE}, score_of())


def test_the_sheet_shows_the_line_of_the_layer() -> None:
    made = read_sound(
        {
            "name": "Test",
            "layers": [layer("bass", LOW | {"voice_mode": "mono"}), layer("pad", HIGH)],
            "modulators": [{"id": "m", "name": "M", "kind": "envelope"}],
            "routes": [
                {"id": "r1", "from": "m", "to": "bass.source.position", "depth": 30},
                {"id": "r2", "from": "m", "to": "pad.source.position", "depth": 30},
            ],
        }
    )
    view = TrajectoryView(made, score_of())
    # The first bass note is cut by the second, comes back for none, and no pad note is in it.
    assert set(view.notes("bass.source.position")) == {"b40", "b45", "b36"}
    assert {f"p{key}" for key in PAD} <= set(view.notes("pad.source.position"))
    assert set(view.probe().parameters) == {"bass.source.position", "pad.source.position"}
