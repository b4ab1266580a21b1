"""Listening: the same samples as offline, and changes that do not click."""

from __future__ import annotations

import itertools
import json
import threading
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import scipy.signal

from caligo.document import Sound, read_sound
from caligo.engine.listening import live
from caligo.engine.listening.live import Listening
from caligo.engine.listening.loop_start import Loop
from caligo.engine.render import mixer
from caligo.engine.render.engine import SMALL_BLOCK, Engine
from caligo.engine.render.offline import render_array
from caligo.engine.stems.store import StemStore
from caligo.engine.views.long_view import fine
from demo.build import by_name
from tests.core.builders import (
    RATE,
    layer_of,
    moving_sound,
    one_note,
    plain_layer,
    plain_sound,
    two_notes,
)

BLOCK = 1_024


def blocks(listening: Listening, count: int) -> np.ndarray:
    return np.concatenate([listening.block() for _ in range(count)], axis=1)


def test_listening_is_the_offline_render_bit_for_bit() -> None:
    heard = blocks(Listening(moving_sound(), two_notes()), 100)
    assert np.array_equal(heard, render_array(moving_sound(), two_notes())[:, : heard.shape[1]])


def test_listening_from_a_moment_is_close_to_the_whole() -> None:
    heard = blocks(Listening(moving_sound(), two_notes(), start=3.0), 40)
    full = render_array(moving_sound(), two_notes())[:, 3 * RATE :][:, : heard.shape[1]]
    assert np.abs(heard - full).max() < 0.01 * np.abs(full).max()


def quiet_tone() -> Sound:
    layer = plain_layer(table="sine")
    layer["filters"] = [{"id": "f", "kind": "lowpass", "params": {"cutoff": 5_000}}]
    return plain_sound(layer)


def changed(**params: float) -> Sound:
    data = quiet_tone().as_document()
    for key, value in params.items():
        target = data["layers"][0]["params"] if key in ("level", "pan") else (
            data["layers"][0]["source"]["params"] if key in ("fine", "unison")
            else data["layers"][0]["filters"][0]["params"]
        )  # fmt: skip
        target[key] = value
    return read_sound(data)


CHANGES: dict[str, Callable[[Listening], None]] = {
    "level down": lambda x: x.edit(changed(level=-40)),
    "cutoff": lambda x: x.edit(changed(cutoff=60)),
    "pitch": lambda x: x.edit(changed(fine=700)),
    "unison": lambda x: x.edit(changed(unison=9)),
    "seek": lambda x: x.seek(2.77),
    "hold still": lambda x: x.hold_still(True),
    "panic": lambda x: x.panic(),
    "filter gone": lambda x: x.edit(plain_sound(plain_layer(table="sine"))),
    "table": lambda x: x.edit(plain_sound(plain_layer(table="triangle"))),
}


@pytest.mark.parametrize("change", list(CHANGES))
def test_no_change_clicks(change: str) -> None:
    """A jump of a parameter makes no step larger than the tones themselves could make."""
    listening = Listening(quiet_tone(), one_note(57, 5.0))
    before = blocks(listening, 20)
    CHANGES[change](listening)
    after = blocks(listening, 20)
    # The steps of the sine, and of one a fifth above, plus what a crossfade of 43 ms adds.
    usual = np.abs(np.diff(before[0][RATE // 4 :])).max()
    joined = np.concatenate([before[0][-64:], after[0]])
    assert np.abs(np.diff(joined)).max() < 2.0 * usual


def test_edits_in_a_row_do_not_click_either() -> None:
    listening = Listening(quiet_tone(), one_note(57, 5.0))
    usual = np.abs(np.diff(blocks(listening, 20)[0][RATE // 4 :])).max()
    heard = []
    for i in range(30):
        listening.edit(changed(level=-3.0 * (i % 7)))
        listening.edit(changed(level=-2.0 * (i % 5)))
        heard.append(listening.block())
    assert np.abs(np.diff(np.concatenate(heard, axis=1)[0])).max() < 2.0 * usual


def louder_space(listening: Listening) -> None:
    data = listening._engine.sound.as_document()
    data["buses"][0]["params"]["level"] = 6.0
    data["layers"][0]["params"]["pan"] = -70.0
    listening.edit(read_sound(data))


@pytest.mark.parametrize("act", [louder_space, lambda x: x.press(76), lambda x: None])
def test_values_planned_for_several_blocks_are_those_of_each(
    act: Callable[[Listening], None], monkeypatch: pytest.MonkeyPatch
) -> None:
    """An edit, or a key that a modulator of notes goes by, comes in the midst of what is planned;
    the level of the layer follows the newest note."""

    def heard(planned: int) -> np.ndarray:
        monkeypatch.setattr(mixer, "PLANNED_TICKS", planned)
        listening = Listening(moving_sound(), two_notes())
        before = blocks(listening, 21)
        act(listening)
        return np.concatenate([before, blocks(listening, 12)], axis=1)

    assert np.array_equal(heard(1), heard(256))
    assert np.array_equal(heard(256), heard(100))


def test_an_edit_is_heard_in_the_next_block() -> None:
    listening = Listening(quiet_tone(), one_note(57, 5.0))
    before = blocks(listening, 20)[:, -BLOCK:]
    listening.edit(changed(level=-40))
    blocks(listening, 1)
    assert np.std(listening.block()) < 0.05 * np.std(before)


def test_keys_play_and_end() -> None:
    layer = plain_layer(table="sine")
    empty = one_note().model_copy(update={"notes": []})
    listening = Listening(plain_sound(layer), empty)
    assert not blocks(listening, 5).any()
    listening.press(69)
    listening.press(76)
    both = blocks(listening, 12)
    assert np.std(both) > 0.01
    listening.lift(69)
    listening.lift(76)
    blocks(listening, 3)
    assert not listening.block().any()


def test_a_played_chord_does_not_disturb_what_sounds() -> None:
    """The filters and phases of the score's notes go on when a key is pressed."""
    listening = Listening(moving_sound(), two_notes())
    alone = Listening(moving_sound(), two_notes())
    blocks(listening, 20)
    blocks(alone, 20)
    listening.press(100, 1)
    listening.lift(100)
    blocks(listening, 2)
    blocks(alone, 2)
    difference = blocks(listening, 10) - blocks(alone, 10)
    assert np.abs(difference).max() < 0.05


def test_panic_silences_everything_at_once() -> None:
    listening = Listening(moving_sound(), two_notes())
    blocks(listening, 60)
    listening.panic()
    listening.panic()
    assert listening.panics == 0, "the next block still falls to nothing"
    listening.block()
    assert listening.panics == 2
    assert not blocks(listening, 5).any()
    listening.edit(moving_sound(), two_notes())
    assert not blocks(listening, 5).any(), "an edit brings nothing back"
    listening.press(60)
    assert np.std(blocks(listening, 30)) > 1e-4


def test_loops_come_round() -> None:
    listening = Listening(quiet_tone(), one_note(57, 5.0), start=1.0, loop=Loop(1.0, 1.5))
    positions = []
    for _ in range(80):
        positions.append(listening.position)
        listening.block()
    assert max(positions) < 1.53
    assert sum(1 for a, b in itertools.pairwise(positions) if b < a) >= 2


def test_a_loop_turns_to_an_engine_that_is_ready(monkeypatch: pytest.MonkeyPatch) -> None:
    """Nothing is built while a block is waited for, and each time round sounds alike."""
    built: list[str] = []

    class Counted(Engine):
        def __init__(self, *args: Any, **more: Any) -> None:
            built.append(threading.current_thread().name)
            super().__init__(*args, **more)

    monkeypatch.setattr(live, "Engine", Counted)
    listening = Listening(moving_sound(), two_notes(), start=1.0, loop=Loop(1.0, 1.5))
    here = threading.current_thread().name
    rounds: list[list[np.ndarray]] = [[]]
    for _ in range(60):
        before = listening.position
        block = listening.block()
        if listening.position < before:
            rounds.append([])
        rounds[-1].append(block)
    assert built.count(here) == 1
    whole = [np.concatenate(blocks[1:-1], axis=1) for blocks in rounds[2:5]]
    assert np.array_equal(whole[0], whole[1])
    assert np.array_equal(whole[1], whole[2])
    listening.edit(quiet_tone(), one_note(57, 5.0))
    built.clear()
    for _ in range(30):
        listening.block()
    assert len(built) == 1, "after an edit the start is made anew, once"


def test_listening_ends_with_the_score() -> None:
    listening = Listening(quiet_tone(), one_note(57, 1.0), start=0.9)
    count = 0
    while not listening.finished:
        listening.block()
        count += 1
        assert count < 20


def test_listening_from_stored_stems_sounds_the_same(tmp_path: Path) -> None:
    """What has been drawn makes listening begin sooner, and not sound otherwise."""
    sound, score = moving_sound(), two_notes(20.0)
    store = StemStore(tmp_path)
    list(fine(sound, score, store=store))
    assert len(list(tmp_path.glob("*.stem"))) == 2  # of the layer, and of the mixer
    with_store = Listening(sound, score, start=12.0, store=store)
    without = Listening(sound, score, start=12.0)
    for listening in (with_store, without):
        listening.edit(sound)
    difference = np.abs(blocks(with_store, 30) - blocks(without, 30)).max()
    assert difference < 0.001


def test_a_start_in_a_hurry_sounds_and_comes_close(monkeypatch: pytest.MonkeyPatch) -> None:
    """With no time for a run-in the reverb fills late; what is dry is there at once."""
    sound, score = moving_sound(), two_notes(20.0)
    whole = blocks(Listening(sound, score, start=12.0), 30)
    monkeypatch.setattr(live, "PATIENCE", 0.0)
    hurried = blocks(Listening(sound, score, start=12.0), 30)
    assert np.isfinite(hurried).all()
    assert not np.array_equal(hurried, whole), "the run-in was cut short"
    assert np.std(hurried - whole) < 0.2 * np.std(whole)


def dark(layer: dict[str, Any]) -> dict[str, Any]:
    """The layer behind a steep low-pass, so that all that lies far above it is a click."""
    return {
        **layer,
        "filters": [{"id": "f", "kind": "lowpass", "params": {"cutoff": 900, "slope": "24"}}],
    }


EDITS = {
    "partials": (layer_of("harmonic", count=24), ("params", "count"), 5),
    "rule": (layer_of("harmonic", count=24), ("params", "rule"), "primes"),
    "position": (layer_of("grains", recording=by_name()["bowed_wire"]), ("params", "position"), 70),
    "region": (
        layer_of("spectral", recording=by_name()["hummed_vowel"], travel=0),
        ("items",),
        [{"id": "region1", "kind": "region", "params": {"end": 9, "low": 200, "high": 900}}],
    ),
    "recording": (
        layer_of("spectral", recording=by_name()["hummed_vowel"]),
        ("params", "recording"),
        by_name()["glass_harmonic"],
    ),
    "kind": (layer_of("operators"), ("kind",), "noise"),
}


@pytest.mark.parametrize("change", EDITS)
def test_changes_of_sources_do_not_click(change: str) -> None:
    """Above 8 kHz, three octaves over a 24 dB filter, nothing rises when an edit is heard."""
    layer, (*way, last), value = EDITS[change]
    before = plain_sound(dark(layer)).as_document()
    after = json.loads(json.dumps(before))
    place = after["layers"][0]["source"]
    for step in way:
        place = place[step]
    place[last] = value
    if change == "kind":
        after["layers"][0]["source"].update(params={}, items=[])
    listening = Listening(read_sound(before), one_note(57, 6.0))
    steady = blocks(listening, 60)
    listening.edit(read_sound(after))
    heard = blocks(listening, 60)
    high = scipy.signal.butter(6, 8000, "high", fs=RATE, output="sos")
    whole = scipy.signal.sosfilt(high, np.concatenate([steady, heard], axis=1)[0].astype(float))
    at = steady.shape[1]
    usual = np.abs(whole[at // 2 : at - BLOCK]).max()
    around = np.abs(whole[at - 64 : at + 3 * BLOCK]).max()
    loud = np.abs(steady[0, at // 2 :]).max()
    assert around < max(3.0 * usual, 1e-3 * loud)


def test_a_step_that_an_edit_makes_is_not_echoed() -> None:
    """A delay put ahead of a compressor: what came in from there went over at once, and each echo
    brought the step again, 44 dB over what the sound itself makes."""
    layer = plain_layer(table="sine") | {
        "inserts": [
            {"id": "squash", "kind": "compressor", "params": {"threshold": -40, "ratio": 8}},
            {"id": "echo", "kind": "delay", "params": {"feedback": 60}},
        ]
    }
    turned = layer | {"inserts": list(reversed(layer["inserts"]))}
    listening = Listening(plain_sound(layer), one_note(45, 30.0), start=4.0)
    before = np.concatenate([listening.block() for _ in range(40)], axis=1)
    listening.edit(plain_sound(turned))
    after = np.concatenate([listening.block() for _ in range(60)], axis=1)
    steps = [np.abs(np.diff(wave, 3, axis=1)).max() for wave in (before, after)]
    assert steps[1] < 4.0 * steps[0]


def building(monkeypatch: pytest.MonkeyPatch, meanwhile: Callable[[], object]) -> None:
    """Do something once, while the next edit builds its engine."""
    made = live.Engine
    waiting = [meanwhile]

    def build(*args: Any, **options: Any) -> Engine:
        if waiting:
            waiting.pop()()
        return made(*args, **options)

    monkeypatch.setattr(live, "Engine", build)


def without_filters(sound: Sound) -> Sound:
    """Another structure."""
    other = sound.model_copy(deep=True)
    other.layers[0].filters = []
    return other


FILTERED = plain_layer(table="saw") | {"filters": [{"id": "f", "kind": "lowpass", "params": {}}]}


def test_a_panic_while_an_edit_builds_is_not_undone_by_it(monkeypatch: pytest.MonkeyPatch) -> None:
    sound = plain_sound(FILTERED)
    listening = Listening(sound, one_note(45, 30.0), start=3.0)
    listening.block()

    def panic() -> None:
        listening.panic()
        listening.block()

    building(monkeypatch, panic)
    listening.edit(without_filters(sound))
    heard = np.concatenate([listening.block() for _ in range(20)], axis=1)
    assert np.abs(heard[:, 4 * SMALL_BLOCK :]).max() < 1e-6


def test_a_key_while_an_edit_builds_is_heard(monkeypatch: pytest.MonkeyPatch) -> None:
    sound = plain_sound(FILTERED)
    silent = one_note(45, 30.0).model_copy(update={"notes": []})
    listening = Listening(sound, silent, start=3.0)
    listening.block()
    building(monkeypatch, lambda: listening.press(57))
    listening.edit(without_filters(sound))
    heard = np.concatenate([listening.block() for _ in range(10)], axis=1)
    assert np.abs(heard).max() > 1e-3


def test_a_loop_made_ready_while_an_edit_builds_turns_to_the_edited_sound(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    """What was prepared of the sound before is not heard after the edit."""
    sound = plain_sound(FILTERED)
    listening = Listening(sound, one_note(45, 30.0), start=3.0, loop=Loop(3.0, 3.3))
    listening.block()

    def make_ready() -> None:
        for _ in range(3):
            listening.block()

    building(monkeypatch, make_ready)
    other = without_filters(sound)
    listening.edit(other)
    for _ in range(20):
        listening.block()
        assert listening._engine.sound == other
