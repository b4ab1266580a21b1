"""Resonators whose strings are tuned to the notes that are held."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from caligo.document import Note, Score
from caligo.engine.render.offline import render_array
from caligo.engine.stems.keys import stem_key
from caligo.movement.notes import Notes
from caligo.processing.held_strings import assigned
from tests.core.builders import RATE, layer_of, plain_sound


def held(
    notes: list[tuple[int, float, float]], seconds: float, block: int = 65_536, **params: Any
) -> np.ndarray:
    """Noise through resonators tuned to notes ``(key, start, length)``, alone ``[2, samples]``."""
    layer = layer_of("noise", tilt=-3)
    layer["params"] = {"level": -18}
    strings = {"tuned": "held", "decay": 1.5, "mix": 100, "spread": 0, "damping": 20_000, **params}
    sound = plain_sound(
        layer, master={"effects": [{"id": "fx", "kind": "resonators", "params": strings}]}
    )
    made = [
        Note(id=f"n{i}", pitch=key, start=start, length=length, velocity=100)
        for i, (key, start, length) in enumerate(notes)
    ]
    return render_array(sound, Score(length=seconds, notes=made), block=block, ahead=False)


def lines_at(signal: np.ndarray, keys: list[int]) -> dict[int, float]:
    """How far the spectrum at each key stands over its surroundings, in dB."""
    power = np.abs(np.fft.rfft(signal * np.hanning(len(signal)))) ** 2
    found = {}
    for key in keys:
        at = round(440.0 * 2.0 ** ((key - 69) / 12.0) * len(signal) / RATE)
        far = np.r_[power[at - 60 : at - 12], power[at + 12 : at + 60]]
        found[key] = 10.0 * np.log10(power[at - 2 : at + 3].max() / np.median(far))
    return found


def test_strings_follow_the_notes_that_are_held() -> None:
    """Each note has a string while it is held; what follows it takes another or the same."""
    heard = held([(57, 0.0, 12.0), (64, 0.0, 4.0), (61, 6.0, 6.0)], 12.0)[0]
    early, late = heard[RATE : 4 * RATE], heard[9 * RATE : 12 * RATE]
    with_fifth, with_third = lines_at(early, [57, 64, 61]), lines_at(late, [57, 64, 61])
    assert min(with_fifth[57], with_fifth[64], with_third[57], with_third[61]) > 20
    assert max(with_fifth[61], with_third[64]) < 15
    up = held([(57, 0.0, 4.0)], 4.0, octave=1)[0, RATE:]
    assert lines_at(up, [69])[69] > 20
    assert lines_at(up, [57])[57] < 15


def test_held_strings_are_the_same_in_any_block_and_do_not_click() -> None:
    """Nine notes for eight strings: the first is taken over, in silence."""
    notes = [(48 + 3 * i, 0.25 * i, 6.0 - 0.25 * i) for i in range(9)]
    heard = held(notes, 4.0)
    assert np.array_equal(heard[:, : 2 * RATE + 480], held(notes, 2.01, block=64))
    assert np.isfinite(heard).all()
    # A step would be far larger than what lies between samples just before.
    steps = np.abs(np.diff(heard[0]))
    taken = int(2.0 * RATE)
    assert steps[taken - 480 : taken + 2_400].max() < 1.3 * steps[taken - 9_600 : taken - 960].max()


def test_a_string_is_given_to_the_note_that_needs_it() -> None:
    def notes(*given: tuple[float, float]) -> Notes:
        start, length = (np.array(x) for x in zip(*given, strict=True))
        zero = np.zeros(len(start))
        return Notes(start, length, length, zero, zero, zero.astype(np.uint64))

    assert assigned(notes((0, 5), (1, 1), (3, 1), (3.5, 9)), 2) == [[0, 3], [1, 2]]
    assert assigned(notes((0, 9), (1, 9), (2, 9)), 2) == [[0, 2], [1]]
    assert assigned(notes((0, 1), (2, 1), (4, 1)), 3) == [[0], [1], [2]]


def test_a_layers_strings_hear_of_notes_that_the_layer_does_not_play() -> None:
    """Its stem is another where such a note is, though none of its voices is."""
    layer = layer_of("noise")
    layer["params"] = {"key_high": 60}
    layer["inserts"] = [{"id": "fx", "kind": "resonators", "params": {"tuned": "held"}}]
    sound = plain_sound(layer)
    low = Note(id="a", pitch=50, start=0.0, length=2.0, velocity=90)
    high = Note(id="b", pitch=72, start=0.0, length=2.0, velocity=90)
    keys = [
        stem_key(sound, sound.layers[0], Score(length=4.0, notes=played), RATE, False)
        for played in ([low], [low, high])
    ]
    assert keys[0] != keys[1]


def test_each_string_has_a_direction_of_its_own() -> None:
    """The equal-power pan (common practice) by the level of each string's line on both sides."""
    directions = [-100.0, 50.0, 0.0]
    layer = layer_of("noise", tilt=-3)
    strings = {
        "chord": [0.0, 7.0, 16.0, 24.0], "root": 220.0, "decay": 8.0, "mix": 100.0,
        "damping": 20_000.0, "placed": "own", "directions": directions,
    }  # fmt: skip
    sound = plain_sound(
        layer, master={"effects": [{"id": "fx", "kind": "resonators", "params": strings}]}
    )
    heard = render_array(sound, Score(length=12.0, notes=[
        Note(id="n", pitch=60, start=0.0, length=12.0, velocity=100)
    ]))[:, 4 * RATE :]  # fmt: skip
    power = np.abs(np.fft.rfft(heard * np.hanning(heard.shape[1]), axis=1)) ** 2
    for semitones, direction in zip([0, 7, 16, 24], [*directions, directions[0]], strict=True):
        at = round(220.0 * 2.0 ** (semitones / 12.0) * heard.shape[1] / RATE)
        left, right = power[:, at - 4 : at + 5].sum(axis=1)
        angle = np.degrees(np.arctan2(np.sqrt(right), np.sqrt(left)))
        # Noise comes in on both sides unlike, and rings on both of a string.
        assert angle == pytest.approx((1.0 + direction / 100.0) * 45.0, abs=12.0)
