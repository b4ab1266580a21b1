"""The long view: coarse at once, fine exactly, cancellable; and the demo's own sounds."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from caligo.document import read_score, read_sound
from caligo.engine.render.engine import Engine
from caligo.engine.render.offline import render_array
from caligo.engine.stems.store import StemStore
from caligo.engine.views.long_view import COLUMNS, SLOT_POINTS, Summary, Tile, fine
from caligo.engine.views.picture_store import KEPT_PROBES
from caligo.engine.views.preview import Preview, preview_tiles, probes
from caligo.material.store import current
from caligo.measure.loudness import LoudnessMeter
from caligo.measure.report import Reporter
from caligo.measure.spectrogram import FLOOR
from caligo.measure.true_peak import true_peak
from caligo.signal.ticks import TICK
from demo.scores import CUES
from demo.sounds import SOUNDS
from demo.write import documents
from tests.core.builders import RATE, moving_sound, one_note, plain_layer, plain_sound, two_notes

DEMO = Path(__file__).parents[2] / "demo"


def decibels_of(levels: np.ndarray) -> np.ndarray:
    return (levels / 255.0 - 1.0) * -FLOOR


def pictured(parts: list[Tile | Summary], once: bool = True) -> tuple[np.ndarray, Summary | None]:
    levels = np.zeros((COLUMNS, 224), np.uint8)
    filled = np.zeros(COLUMNS, int)
    summary = None
    for part in parts:
        if isinstance(part, Summary):
            summary = part
            continue
        for i, row in enumerate(part.levels):
            where = slice(part.first + i * part.span, part.first + (i + 1) * part.span)
            levels[where] = row
            filled[where] += 1
    assert (filled == 1).all() if once else (filled >= 1).all()
    return levels, summary


def test_fine_view_covers_everything_once_and_sums_up() -> None:
    sound, score = moving_sound(), two_notes(8.0)
    _, summary = pictured(list(fine(sound, score)))
    assert summary is not None
    signal = render_array(sound, score)
    meter = LoudnessMeter(RATE)
    meter.add(signal)
    assert summary.integrated == pytest.approx(meter.integrated(), abs=0.1)
    assert summary.true_peak == pytest.approx(true_peak(signal), abs=0.01)
    assert len(summary.loudness) == COLUMNS
    assert len(summary.slots["ground"]) == SLOT_POINTS


def test_coarse_view_resembles_the_fine_one() -> None:
    data = moving_sound().as_document()
    data["buses"], data["layers"][0]["sends"] = [], []
    data["routes"] = [r for r in data["routes"] if "space" not in r["to"]]
    sound, score = read_sound(data), two_notes(8.0)
    view = Preview()
    seen = [tile for look in probes(sound, score, most=KEPT_PROBES) for tile in view.add(look)]
    rough, _ = pictured(seen, once=False)
    exact, _ = pictured(list(fine(sound, score)))
    held = slice(60, 900)
    assert np.corrcoef(rough[held].ravel(), exact[held].ravel())[0, 1] > 0.9
    # Seen from afar (means of 25 columns, paper from 82 dB on), each third of the rows is alike.
    afar = [
        np.maximum(decibels_of(picture[:900]).reshape(36, 25, -1).mean(axis=1), -82.0)
        for picture in (rough, exact)
    ]
    for third in np.array_split(np.abs(afar[0] - afar[1])[3:], 3, axis=1):
        assert third.mean() < 3.0


@pytest.mark.parametrize("length", [1.0, 3.0])
def test_coarse_looks_near_the_start_are_not_silent(length: float) -> None:
    """In a short score many looks begin at the start itself, where nothing fades in, whichever
    look their engine had before."""
    sound = read_sound(moving_sound().as_document() | {"buses": []} | {
        "layers": [moving_sound().as_document()["layers"][0] | {"sends": []}]
    } | {"routes": []})  # fmt: skip
    tiles = list(preview_tiles(sound, one_note(45, length), threads=1))
    loud = [level for level in tiles[-1].loudness if level > -60.0]
    assert len(loud) > 0.6 * len(tiles[-1].loudness)
    engine = Engine(sound, one_note(45, length), preview=True)
    engine.glance(600, 64, 0.15)
    again = engine.glance(40, 64, 0.15)
    fresh = Engine(sound, one_note(45, length), preview=True).glance(40, 64, 0.15)
    assert np.abs(again).max() > 0.01
    assert np.array_equal(again, fresh)


@pytest.mark.parametrize(
    ("kind", "params"),
    [
        ("reverb", {"decay": 12.0}),
        ("convolution", {"length": 4.0, "decay": 20.0}),
        ("spectral_blur", {"blur": 6.0}),
    ],
)
def test_a_look_makes_up_for_what_a_long_tail_has_not_heard(
    kind: str, params: dict[str, Any]
) -> None:
    """Steady noise: an eighth of a second of run-in sounds as loud as half a minute of it."""
    params = params | {"mix": 100.0}
    if kind == "convolution":
        params["recording"] = next(c.key for c in current().cards() if c.kind == "recording")
    layer = plain_layer() | {"inserts": [{"id": "fx", "kind": kind, "params": params}]}
    layer["source"] = {"kind": "noise", "params": {}}
    sound, score = plain_sound(layer), one_note(60, 40.0)
    looked = Engine(sound, score, preview=True).glance(30 * RATE // TICK, 256, 0.15)
    exact = render_array(sound, score, start=30.0, length=looked.shape[1] / RATE)
    assert 20.0 * np.log10(looked.std() / exact.std()) == pytest.approx(0.0, abs=1.5)


def test_views_stop_when_they_are_no_longer_wanted() -> None:
    calls = 0

    def interrupted() -> bool:
        nonlocal calls
        calls += 1
        return calls > 4

    assert len(list(preview_tiles(moving_sound(), two_notes(), interrupted=interrupted))) <= 4
    calls = 0
    parts = list(fine(moving_sound(), two_notes(60.0), interrupted=interrupted))
    assert not any(isinstance(p, Summary) for p in parts)


@pytest.mark.wide
def test_view_from_stored_stems_is_the_same(tmp_path: Path) -> None:
    store = StemStore(tmp_path)
    sound, score = moving_sound(), two_notes(14.0)
    first, _ = pictured(list(fine(sound, score, store=store)))
    assert list(tmp_path.glob("*.stem"))
    again, _ = pictured(list(fine(sound, score, store=store)))
    assert np.array_equal(first, again)


def test_written_demo_is_what_the_scripts_make() -> None:
    for path, document in documents().items():
        assert json.loads((DEMO / path).read_text()) == document, (
            f"run python -m demo.write: {path}"
        )


def reports() -> dict[str, dict[str, float]]:
    """The first 36 s of every demo sound in its cue, measured."""
    found = {}
    for make in SOUNDS:
        sound = read_sound(make())
        cue = next(c for c in CUES if sound.name in c.sounds)
        score = read_score(cue.score.model_dump(mode="json"))
        reporter = Reporter(RATE)
        reporter.add(render_array(sound, score, length=36.0))
        found[sound.name] = reporter.finish().as_json()
    return found


@pytest.mark.wide
def test_demo_sounds_are_heard_not_clipped_not_harsh_and_evolve_and_differ() -> None:
    measured = reports()
    for name, report in measured.items():
        assert -30.0 < report["integrated"] < -14.0, name
        assert report["true_peak"] <= -0.9, name
        assert report["harshness"] < 25.0, name
        assert report["correlation"] > -0.2, name
        # Over tens of seconds; a held chord of saws in unison has 0.0, noise too.
        assert report["evolution_tens"] > 0.8, name
    keys = ("centroid", "width", "evolution", "integrated", "centroid_range", "loudness_range")
    table = np.array(
        [[np.log2(r["centroid"]), *(r[k] for k in keys[1:])] for r in measured.values()]
    )
    scaled = table / table.std(axis=0)
    for i in range(len(scaled)):
        for k in range(i):
            assert np.linalg.norm(scaled[i] - scaled[k]) > 0.5
