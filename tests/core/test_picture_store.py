"""Finished pictures: kept whole, found again, and the ground of the first picture after an edit."""

from __future__ import annotations

import dataclasses
import math
import os
from pathlib import Path

import numpy as np
import pytest

from caligo.document import Score, Sound, read_sound
from caligo.engine.render.engine import Engine
from caligo.engine.stems.store import StemStore
from caligo.engine.views.long_view import COLUMNS, Summary, Tile, fine
from caligo.engine.views.picture_store import (
    FEW_PROBES,
    KEPT_PROBES,
    Drawn,
    PictureStore,
    family_of,
    picture_key,
)
from caligo.engine.views.preview import Preview, preview_tiles, probes
from caligo.movement.hold_still import Frozen
from tests.core.builders import moving_sound, one_note, plain_layer, two_notes
from tests.sweeps import widest

LENGTH = 20.0


def drawn_of(sound: Sound, score: Score) -> Drawn:
    parts = list(fine(sound, score))
    tiles = [part for part in parts if isinstance(part, Tile)]
    summary = next(part for part in parts if isinstance(part, Summary))
    seen = probes(sound, score, most=KEPT_PROBES)
    return Drawn.of({look.index: look for look in seen}, tiles, summary)


@pytest.fixture(scope="module")
def drawn() -> Drawn:
    return drawn_of(moving_sound(), two_notes(LENGTH))


def changed(sound: Sound, **params: float) -> Sound:
    data = sound.as_document()
    data["layers"][0]["params"] |= params
    return read_sound(data)


def test_a_picture_comes_back_as_it_was(drawn: Drawn, tmp_path: Path) -> None:
    store = PictureStore(tmp_path)
    key = picture_key(moving_sound(), two_notes(LENGTH))
    assert store.read(key) is None
    silent = dataclasses.replace(drawn, summary=Summary())
    for kept in (silent, drawn):
        store.write(key, "family", kept)
        found = store.read(key)
        assert found is not None
        assert found.summary == kept.summary
        for name in ("levels", "loudness", "width", "probes", "probe_loudness", "probe_width"):
            assert np.array_equal(getattr(found, name), getattr(kept, name)), name
        assert store.newest("family") is not None
    assert store.newest("other") is None
    assert len(list(tmp_path.iterdir())) == 1
    tile = drawn.tile()
    assert tile.fine
    assert len(tile.levels) == COLUMNS


def test_a_picture_of_an_older_form_is_not_there(drawn: Drawn, tmp_path: Path) -> None:
    store = PictureStore(tmp_path)
    store.write("key", "family", dataclasses.replace(drawn, probes=drawn.probes[:-1]))
    assert store.read("key") is None
    assert store.newest("family") is None


@pytest.mark.parametrize("broken", [b"", b"PK\x03\x04 cut off", b"not a picture"])
def test_a_broken_picture_is_not_there(drawn: Drawn, tmp_path: Path, broken: bytes) -> None:
    store = PictureStore(tmp_path)
    store.write("key", "family", drawn)
    next(tmp_path.iterdir()).write_bytes(broken)
    assert store.read("key") is None
    assert store.newest("family") is None


def test_the_least_used_are_let_go(drawn: Drawn, tmp_path: Path) -> None:
    store = PictureStore(tmp_path, most=3)
    for i in range(3):
        store.write(f"key{i}", "family", drawn)
        os.utime(tmp_path / f"family-key{i}.npz", (i, i))
    assert store.read("key0") is not None  # used now
    store.write("key3", "family", drawn)
    assert [store.read(f"key{i}") is not None for i in range(4)] == [True, False, True, True]


def test_a_full_disk_only_costs_the_keeping(
    drawn: Drawn, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    store = PictureStore(tmp_path)
    real = Path.open

    def full(path: Path, mode: str = "r") -> object:
        if "w" in mode:
            raise OSError(28, "No space left on device")
        return real(path, mode)

    monkeypatch.setattr(Path, "open", full)
    store.write("key", "family", drawn)
    assert store.read("key") is None


def test_keys_follow_what_is_heard() -> None:
    sound, score = moving_sound(), two_notes(LENGTH)
    key = picture_key(sound, score)
    assert picture_key(sound.model_copy(update={"name": "Other"}), score) == key
    assert picture_key(changed(sound, level=-7.0), score) != key
    assert picture_key(sound, two_notes(LENGTH + 1.0)) != key
    assert picture_key(sound, score, hold_still=True) != key
    family = family_of(sound, score)
    assert family_of(changed(sound, level=-7.0), score) == family
    assert family_of(sound, two_notes(LENGTH + 1.0)) != family
    assert len({family, *(family_of(sound, score, x) for x in (True, Frozen(1.0)))}) == 3
    assert family_of(sound, score, Frozen(1.0)) == family_of(sound, score, Frozen(2.0))


def test_what_an_edit_leaves_alone_stays_exact(drawn: Drawn) -> None:
    tiles = list(preview_tiles(moving_sound(), two_notes(LENGTH), basis=drawn))
    assert [len(tile.levels) for tile in tiles] == [COLUMNS] * 2
    for tile in tiles:
        # Bytes are cut off, not rounded.
        assert np.abs(tile.levels.astype(int) - drawn.levels).max() <= 1
        assert tile.loudness == pytest.approx(np.maximum(drawn.loudness, -90.0), abs=0.01)
        assert tile.width == pytest.approx(drawn.width, abs=1e-4)


def test_in_a_short_whole_few_looks_are_enough(tmp_path: Path) -> None:
    """After an edit as many again, whatever a longer whole would get."""
    sound, score, store = moving_sound(), two_notes(6.0), PictureStore(tmp_path)
    tiles = [part for part in fine(sound, score) if isinstance(part, Tile)]
    seen = {look.index: look for look in probes(sound, score)}
    assert len(seen) == FEW_PROBES
    store.write("key", "family", Drawn.of(seen, tiles, Summary()))
    short = store.read("key")
    assert short is not None
    (tile,) = preview_tiles(sound, score, basis=short)
    assert np.abs(tile.levels.astype(int) - short.levels).max() <= 1


def test_an_edit_draws_nothing_into_the_silence_at_the_end(drawn: Drawn) -> None:
    levels, loudness = drawn.levels.copy(), drawn.loudness.copy()
    levels[-15:], loudness[-15:] = 0, -120.0
    basis = dataclasses.replace(drawn, levels=levels, loudness=loudness)
    # So much softer where it was looked at that the edit has to draw everywhere else.
    other = dataclasses.replace(basis, probes=np.zeros_like(basis.probes))
    last = list(preview_tiles(moving_sound(), two_notes(LENGTH), basis=other))[-1]
    assert last.levels[-10:].max() == 0
    assert last.levels[-40:-20].max() > 100


def without_basis(sound: Sound, score: Score) -> list[Tile]:
    """The whole pictures from as many looks as after an edit."""
    view = Preview()
    seen = [tile for look in probes(sound, score, most=KEPT_PROBES) for tile in view.add(look)]
    return [tile for tile in seen if len(tile.levels) > 1]


def away(tile: Tile, exact: np.ndarray) -> float:
    """Mean difference in dB, where there is anything to see."""
    levels = np.repeat(tile.levels, tile.span, axis=0).astype(float)
    return float(np.abs(np.maximum(levels, 37.0) - np.maximum(exact, 37.0)).mean() * 96.0 / 255.0)


@pytest.mark.parametrize(("level", "share"), widest([(-12.0, 0.4), (-3.0, 0.15), (-30.0, 0.75)], 1))
def test_pictures_after_an_edit_are_nearer_for_the_one_before(
    drawn: Drawn, level: float, share: float
) -> None:
    edited, score = changed(moving_sound(), level=level), two_notes(LENGTH)
    exact = np.concatenate([x.levels for x in fine(edited, score) if isinstance(x, Tile)])
    helped, alone = list(preview_tiles(edited, score, basis=drawn)), without_basis(edited, score)
    assert len(helped) == len(alone) == 2
    for one, other in zip(helped, alone, strict=True):
        assert away(one, exact) < share * away(other, exact)


def test_a_basis_of_another_kind_does_no_harm(drawn: Drawn) -> None:
    layer = plain_layer(table="saw")
    other = read_sound({"name": "Other", "layers": [layer]})
    score = one_note(33, LENGTH)
    exact = np.concatenate([x.levels for x in fine(other, score) if isinstance(x, Tile)])
    alone = without_basis(other, score)[-1]
    helped = list(preview_tiles(other, score, basis=drawn))[-1]
    assert away(helped, exact) < away(alone, exact) + 1.0


def test_looks_may_come_in_any_order(drawn: Drawn) -> None:
    seen = list(probes(moving_sound(), two_notes(LENGTH), most=KEPT_PROBES))
    one, other = Preview(drawn), Preview(drawn)
    last = [tile for look in seen for tile in one.add(look)][-1]
    again = [tile for look in reversed(seen) for tile in other.add(look)][-1]
    assert np.array_equal(last.levels, again.levels)
    assert not math.isnan(sum(last.width))


def test_an_engine_knows_whether_all_it_needs_is_kept(tmp_path: Path) -> None:
    sound, score, store = moving_sound(), two_notes(35.0), StemStore(tmp_path)
    assert not Engine(sound, score).kept_whole()
    assert not Engine(sound, score, stems=store).kept_whole()
    for _ in fine(sound, score, store=store):
        pass
    assert Engine(sound, score, stems=store).kept_whole()
    sorted(tmp_path.glob("*.stem"))[1].unlink()
    assert not Engine(sound, score, stems=store).kept_whole()
