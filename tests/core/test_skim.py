"""Skim, two moments in turn, and the picture of a stretch, against the whole."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from caligo.document import Note, Score, Sound
from caligo.engine.listening.skim import OVERLAP_BLOCKS, PIECE_BLOCKS, Skim, evenly
from caligo.engine.render.engine import SMALL_BLOCK
from caligo.engine.render.offline import render_array
from caligo.engine.stems.store import StemStore
from caligo.engine.views.long_view import DETAIL_COLUMNS, Tile, detail, fine
from tests.core.builders import RATE, moving_sound, one_note, plain_layer, plain_sound

SCORE = one_note(57, 40.0)


def steady() -> Sound:
    layer = plain_layer(table="glass_plate", position=40)
    layer["filters"] = [{"id": "f", "kind": "lowpass", "params": {"cutoff": 800}}]
    return plain_sound(
        layer,
        modulators=[{"id": "m", "name": "M", "kind": "lfo", "params": {"period": {"value": 9}}}],
        routes=[{"id": "r", "from": "m", "to": "ground.f.cutoff", "depth": 2}],
    )


def test_each_moment_is_what_the_cue_sounds_like_there() -> None:
    sound = steady()
    whole = render_array(sound, SCORE)
    moments = [0.0, 11.0, 23.5]
    skim = Skim(sound, SCORE, moments)
    for moment in moments:
        blocks = []
        for _ in range(PIECE_BLOCKS):
            at = skim.position
            blocks.append((at, skim.block()))
        assert blocks[0][0] == moment
        for at, block in blocks[OVERLAP_BLOCKS:]:
            first = round(at * RATE / 64) * 64
            assert np.abs(block - whole[:, first : first + SMALL_BLOCK]).max() < 1e-5
    assert not skim.finished


def test_it_has_as_many_moments_as_seconds_and_ends() -> None:
    moments = evenly(240.0, 12.0)
    assert moments[0] == 0.0
    assert 235.0 < moments[-1] < 240.0
    assert np.ptp(np.diff(moments)) < 1e-6
    skim = Skim(steady(), SCORE, evenly(40.0, 5.0))
    count = 0
    while not skim.finished:
        skim.block()
        count += 1
    assert count * SMALL_BLOCK / RATE == pytest.approx(5.0, abs=0.6)


def test_two_moments_come_in_turn_and_again_the_same() -> None:
    skim = Skim(steady(), SCORE, [3.0, 30.0], blocks=8, again=True)
    heard = [(round(skim.position, 3), skim.block()) for _ in range(48)]
    assert {int(at) for at, _ in heard} == {3, 30}
    for i in range(8 + OVERLAP_BLOCKS, 24):
        assert np.array_equal(heard[i][1], heard[i + 16][1])


def test_moments_meet_in_equal_power_without_a_step() -> None:
    """Common practice: what has little in common is crossfaded in equal power."""
    layer = plain_layer()
    layer["source"] = {"kind": "noise", "params": {}}
    sound = plain_sound(layer)
    skim = Skim(sound, SCORE, [2.0, 17.0, 31.0])
    out = np.concatenate([skim.block() for _ in range(3 * PIECE_BLOCKS)], axis=1)
    powers = 10 * np.log10(np.mean(out.reshape(2, -1, SMALL_BLOCK) ** 2, axis=(0, 2)))
    assert np.ptp(powers[1:]) < 2.2  # in equal gain it would dip by 3 dB


def test_an_edit_is_heard_from_the_next_moment_on() -> None:
    sound = steady()
    quiet = sound.model_copy(deep=True)
    quiet.layers[0].params["level"] = -60.0
    skim = Skim(sound, SCORE, [0.0, 5.0, 10.0, 15.0])
    skim.block()
    skim.edit(quiet)
    out = [float(np.abs(skim.block()).max()) for _ in range(3 * PIECE_BLOCKS)]
    assert out[3] > 0.05
    assert max(out[-PIECE_BLOCKS:]) < 0.005


def picture(tiles: list[Tile]) -> np.ndarray:
    return np.concatenate([tile.levels for tile in tiles]).astype(float)


@pytest.mark.parametrize(
    "span",
    [
        (17.25, 19.75),
        pytest.param((0.0, 4.0), marks=pytest.mark.wide),
        pytest.param((38.0, 40.0), marks=pytest.mark.wide),
    ],
)
def test_a_stretch_looks_like_its_part_of_the_whole(
    span: tuple[float, float], tmp_path: Path
) -> None:
    sound = moving_sound()
    store = StemStore(tmp_path, 1 << 28)
    tiles = list(detail(sound, SCORE, span, store=store))
    near = picture(tiles)
    assert near.shape[0] == DETAIL_COLUMNS
    assert sum(len(tile.loudness) for tile in tiles) == DETAIL_COLUMNS
    whole = picture([t for t in fine(sound, SCORE, store=store) if isinstance(t, Tile)])
    hop = SCORE.length / len(whole)
    columns = np.arange(round(span[0] / hop) + 1, round(span[1] / hop) - 1)
    middles = ((columns + 0.5) * hop - span[0]) / (span[1] - span[0]) * DETAIL_COLUMNS
    difference = np.abs(near[middles.astype(int)] - whole[columns])
    audible = np.maximum(near[middles.astype(int)], whole[columns]) > 90
    # A byte is 0.38 dB; the moments differ by up to half a fine column.
    assert difference[audible].mean() * 96 / 255 < 1.5


def test_drawing_a_stretch_can_be_stopped() -> None:
    asked = iter([False] * 8 + [True] * 1000)
    tiles = list(detail(steady(), SCORE, (10.0, 30.0), interrupted=lambda: next(asked)))
    assert sum(len(t.levels) for t in tiles) < DETAIL_COLUMNS


def test_wherever_an_edit_comes_the_place_that_is_told_is_the_one_that_is_heard() -> None:
    """Also as one piece turns into the next: each moment has a pitch of its own."""
    layer = plain_layer(table="sine")
    sound = plain_sound(layer)
    notes = [
        Note(id=f"n{i}", pitch=48 + 5 * i, start=5.0 * i, length=5.0, velocity=127)
        for i in range(6)
    ]
    score = Score(length=30.0, notes=notes)
    skim = Skim(sound, score, [5.0 * i + 1.0 for i in range(6)])
    while not skim.finished:
        place = skim.position
        block = skim.block()
        if (place - 1.0) % 5.0 > OVERLAP_BLOCKS * SMALL_BLOCK / RATE:
            hertz = np.argmax(np.abs(np.fft.rfft(block[0], 1 << 15))) * RATE / (1 << 15)
            wanted = 440.0 * 2.0 ** ((notes[int(place // 5.0)].pitch - 69) / 12.0)
            assert abs(np.log2(hertz / wanted)) < 0.05
        if skim._at in (PIECE_BLOCKS - 1, PIECE_BLOCKS, 1):
            skim.edit(sound)
