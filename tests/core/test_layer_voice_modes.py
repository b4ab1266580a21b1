"""Layers that play notes in a voice mode of their own: a mono bass under a pad."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
import scipy.signal

from caligo.document import Note, Score, Sound, read_sound
from caligo.engine.render.offline import render_array
from caligo.engine.stems.keys import stem_key
from caligo.engine.views.trajectories import TrajectoryView
from tests.core.builders import RATE, decibels, heard_pitch, layer_of, plain_layer, plain_sound

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


def legato(glide: dict[str, Any], own: bool = False, **more: Any) -> tuple[Sound, Score]:
    """A legato line A3, E4, A4 of a sine, a step a second; a layer's own where it is `own`."""
    layer = layer_of("wavetable", table="sine")
    where = {"voice_mode" if own else "mode": "legato", "glide": glide}
    params = {} if own else where
    layer["params"] = where if own else {}
    notes = [
        Note(id=f"n{i}", pitch=key, start=float(i), length=1.0, velocity=100)
        for i, key in enumerate((57, 64, 69))
    ]
    return plain_sound(layer, params=params, **more), Score(length=3.0, notes=notes)


@pytest.mark.parametrize("own", [False, True])
@pytest.mark.parametrize(("unit", "each"), [("s", 1.0), ("beats", 0.5)])
def test_a_glide_is_as_long_as_what_moves_it_says_as_it_begins(
    own: bool, unit: str, each: float
) -> None:
    """A lane that rises from 0.1 to 0.4 (in octaves) over the line: 0.16 at 1 s, 0.25 at 2 s."""
    to = "ground.glide" if own else "sound.glide"
    drawn = {"id": "l", "to": to, "points": [
        {"time": 0.0, "value": 0.1}, {"time": 3.0, "value": 0.4}
    ]}  # fmt: skip
    sound, score = legato({"value": 0.1, "unit": unit}, own, lanes=[drawn])
    heard = render_array(sound, score)[0].astype(float)
    analytic = scipy.signal.hilbert(heard)
    hertz = np.diff(np.unwrap(np.angle(analytic))) * RATE / (2.0 * np.pi)
    octaves = np.log2(np.maximum(hertz, 1.0) / 220.0)
    for begins, before, after in ((1.0, 0.0, 7 / 12), (2.0, 7 / 12, 1.0)):
        lasts = each * 0.1 * 4.0 ** (begins / 3.0)
        for part in (0.25, 0.5, 0.75):
            at = round((begins + part * lasts) * RATE)
            wanted = before + part * (after - before)
            assert octaves[at - 40 : at + 40].mean() == pytest.approx(wanted, abs=0.012)
    late = render_array(sound, score, start=2.05, block=64, ahead=False)
    whole = render_array(sound, score, block=8_192, ahead=False)
    assert np.abs(late - whole[:, -late.shape[1] :]).max() < 1e-6


def test_a_stem_is_another_when_what_moves_the_glide_is() -> None:
    def key(value: float) -> str:
        drawn = {"id": "l", "to": "sound.glide", "points": [{"time": 0.0, "value": value}]}
        sound, score = legato({"value": 0.1, "unit": "s"}, lanes=[drawn])
        return stem_key(sound, sound.layers[0], score, RATE, False)

    assert key(0.1) != key(0.2)
