"""Documents of every schema sound as they did in the engine of their time.

Levels of octaves come from those engines (`old/octaves.json`), which are in the project's history.
A reverb of another engine is another room: single partials lie elsewhere by some dB, and octaves
by less, the more partials they hold. So three chords are taken together.
"""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest

from caligo.document import read_sound
from caligo.document.held import held_chord
from caligo.document.upgrading import SOUND_SCHEMA
from caligo.engine.render.offline import render_array
from tests.core.builders import octaves
from tests.sweeps import widest

OLD = Path(__file__).parent / "old"
THEN = json.loads((OLD / "octaves.json").read_text())
RATE = 48_000
FIRST, LENGTH = 4.0, 24.0
HEARD = 30.0
"""Decibels under the loudest octave in which a difference counts."""


@pytest.mark.parametrize(
    "name", widest(["schema1_dome_air", *(n for n in THEN if n != "schema1_dome_air")], 1)
)
def test_an_old_document_sounds_as_it_did(name: str) -> None:
    sound = read_sound(json.loads((OLD / f"{name}.json").read_text()))
    then = THEN[name]["octaves"]
    levels = np.array(list(then.values()))
    found = np.array(
        [
            octaves(
                render_array(sound, held_chord(chord, 40.0), length=LENGTH)[
                    :, round(FIRST * RATE) :
                ].astype(float)
            )
            for chord in then
        ]
    )
    loud = levels.mean(axis=0) > levels.mean(axis=0).max() - HEARD
    assert loud.sum() >= 5
    difference = (found - levels).mean(axis=0)[loud]
    assert np.abs(difference).max() < 1.0, difference
    assert abs(difference.mean()) < 0.35, difference


def test_every_schema_has_a_document() -> None:
    schemas = {json.loads((OLD / f"{name}.json").read_text())["schema"] for name in THEN}
    assert schemas == set(range(1, SOUND_SCHEMA))
