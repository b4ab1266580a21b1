"""What lies between looks: what glides is drawn as a glide, all else as it fades."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from caligo.document import Sound
from caligo.engine.views.long_view import COLUMNS, Tile, fine
from caligo.engine.views.picture_store import FEW_PROBES, PROBES
from caligo.engine.views.preview import Preview, probes
from caligo.engine.views.preview_interpolation import between, glides, gliding
from caligo.measure.spectrogram import ROWS
from tests.core.builders import layer_of, one_note, plain_sound
from tests.sweeps import widest

PART = PROBES // FEW_PROBES
PLACES = range(PART // 2, PROBES, PART)


def lines(*centres: float) -> np.ndarray:
    """A column with lines of sound three rows wide ``[ROWS]``."""
    away = np.arange(ROWS) - np.array(centres)[:, None]
    return 200.0 * np.exp(-((away / 3.0) ** 2)).sum(axis=0)


def test_what_glides_is_drawn_where_it_is_between_two_looks() -> None:
    apart = 30.0
    seen = np.array([lines(40.0 + 5.0 * k, 40.0 + apart + 5.0 * k) for k in range(FEW_PROBES)])
    drawn = gliding(seen, PLACES, 3 * FEW_PROBES)
    for column in range(1, 3 * FEW_PROBES - 1):
        place = 40.0 + 5.0 * (column - 1) / 3.0
        assert np.abs(drawn[column] - lines(place, place + apart)).max() < 12.0
    # Faded into each other, the looks would leave each line twice, and dark.
    assert np.abs(between(seen, PLACES, 3 * FEW_PROBES)[2] - lines(41.7, 71.7)).max() > 60.0


def test_what_stays_where_it_is_fades() -> None:
    loud = np.linspace(1.0, 0.2, FEW_PROBES)[:, None]
    seen = loud * lines(50.0, 60.0, 101.0, 160.0) + 20.0
    assert gliding(seen, PLACES, 240) == pytest.approx(between(seen, PLACES, 240))
    # By chance, no more than few rows at the ends seem to glide.
    noise = np.random.default_rng(1).uniform(0.0, 255.0, (100, ROWS))
    assert np.mean(np.abs(glides(noise)) < 0.5) > 0.98


def test_a_single_look_is_all_there_is() -> None:
    seen = lines(50.0)[None, :]
    assert np.array_equal(gliding(seen, [36], 6), np.repeat(seen, 6, axis=0))


def away(picture: np.ndarray, exact: np.ndarray) -> float:
    """Mean difference in dB, where there is anything to see."""
    return float(np.abs(np.maximum(picture, 37.0) - np.maximum(exact, 37.0)).mean() * 96.0 / 255.0)


@pytest.mark.parametrize("pace", widest([2.0, -1.5], 1))
def test_an_endless_glissando_glides_in_the_first_picture(pace: float) -> None:
    """Octaves that climb or fall for ever, seen every 7.5 s."""
    params: dict[str, Any] = {"rule": "octaves", "count": 8, "endless": pace}
    sound: Sound = plain_sound(layer_of("harmonic", **params))
    score = one_note(40, 60.0)
    exact = np.concatenate([x.levels for x in fine(sound, score) if isinstance(x, Tile)])[:COLUMNS]
    view = Preview()
    found = [tile for look in probes(sound, score, most=FEW_PROBES) for tile in view.add(look)][-1]
    drawn = np.repeat(found.levels, found.span, axis=0).astype(float)
    places = sorted(view.probes)
    seen = np.array([view.probes[index].levels for index in places], float)
    faded = np.repeat(between(seen, places, COLUMNS // found.span), found.span, axis=0)
    held = slice(100, 1_000)
    assert away(drawn[held], exact[held].astype(float)) < 0.6 * away(faded[held], exact[held])
