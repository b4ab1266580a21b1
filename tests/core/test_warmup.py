"""Listening from the middle: what a quick start has not heard is caught up with."""

from __future__ import annotations

import time

import numpy as np
import pytest

from caligo.document import Sound, read_sound
from caligo.engine.listening import live
from caligo.engine.listening.live import Listening
from caligo.engine.listening.warmup import Warmup
from caligo.engine.render.engine import SMALL_BLOCK, Engine
from caligo.engine.render.offline import render_array
from caligo.signal.ticks import TICK
from tests.core.builders import RATE, decibels, one_note, plain_layer, plain_sound

SCORE = one_note(57, 18.0)
START = 8.0
MOST_BLOCKS = 600


def in_a_hall(level: float = -6.0) -> Sound:
    """A saw in a space that remembers six seconds."""
    layer = plain_layer(table="saw") | {"params": {"level": level}}
    space = {"id": "fx", "kind": "reverb", "params": {"decay": 6.0, "mix": 60.0}}
    return plain_sound(layer, master={"effects": [space]})


@pytest.fixture(scope="module")
def whole() -> np.ndarray:
    return render_array(in_a_hall(), SCORE)


@pytest.fixture(autouse=True)
def in_a_hurry(monkeypatch: pytest.MonkeyPatch) -> None:
    """No time for a run-in, so that a start has heard next to nothing."""
    monkeypatch.setattr(live, "PATIENCE", 0.0)


def heard_until(listening: Listening, whole: np.ndarray, near: float) -> list[float]:
    """How far each block is from the whole in dB, until one is as `near`; played with breaks."""
    found: list[float] = []
    while len(found) < MOST_BLOCKS and (not found or found[-1] > near):
        at = round(listening.position * RATE)
        block = listening.block()
        right = whole[:, at : at + SMALL_BLOCK]
        found.append(float(decibels((block - right).std() / right.std() + 1e-9)))
        time.sleep(0.01)
    return found


def test_what_a_start_has_not_heard_comes_in_within_seconds(whole: np.ndarray) -> None:
    listening = Listening(in_a_hall(), SCORE, start=START)
    away = heard_until(listening, whole, -60.0)
    assert away[0] > -20.0
    assert away[-1] <= -60.0
    # Long before the space itself would have come there: it loses 60 dB in six seconds.
    assert len(away) * SMALL_BLOCK / RATE < 6.0
    # Smoothly: it takes a second, not a block.
    assert sum(-50.0 < one < away[0] - 3.0 for one in away) > 12


def test_a_start_at_the_beginning_or_with_a_short_tail_has_nothing_to_catch_up_with(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    def never(*_: object) -> None:
        raise AssertionError("nothing is missing")

    monkeypatch.setattr(Warmup, "plan", never)
    monkeypatch.setattr(live, "PATIENCE", 9.0)
    Listening(in_a_hall(), SCORE).block()
    Listening(plain_sound(plain_layer(table="saw")), SCORE, start=START).block()


def test_what_never_fades_is_caught_up_with_as_far_as_it_goes() -> None:
    document = in_a_hall().as_document()
    document["master"]["effects"][0]["params"]["freeze"] = 100.0
    document["lanes"] = [
        {"id": "l", "to": "master.fx.freeze",
         "points": [{"time": 2.0, "value": 0.0}, {"time": 3.0, "value": 100.0}]}
    ]  # fmt: skip
    sound = read_sound(document)
    whole = render_array(sound, SCORE)
    away = heard_until(Listening(sound, SCORE, start=START), whole, -60.0)
    assert away[0] > -20.0
    assert away[-1] <= -60.0


@pytest.mark.parametrize("when", ["while it is caught up with", "while it comes in"])
def test_an_edit_meanwhile_is_what_is_heard(when: str, whole: np.ndarray) -> None:
    listening = Listening(in_a_hall(), SCORE, start=START)
    if when == "while it comes in":
        while not listening._stream.merging and listening.position < 15.0:
            listening.block()
            time.sleep(0.01)
        assert listening._stream.merging
    edited = in_a_hall(-18.0)
    listening.edit(edited)
    at = round(listening.position * RATE)
    heard = np.concatenate([listening.block() for _ in range(100)], axis=1)
    right = render_array(edited, SCORE)[:, at : at + heard.shape[1]]
    last = slice(-RATE, None)
    assert decibels(heard[:, last].std() / right[:, last].std()) == pytest.approx(0.0, abs=1.5)
    # It glides there: no step that the saw does not have itself.
    assert np.abs(np.diff(heard, axis=1)).max() < 1.2 * np.abs(np.diff(whole, axis=1)).max()


def test_a_key_and_a_jump_meanwhile_do_not_bring_back_what_was(whole: np.ndarray) -> None:
    listening = Listening(in_a_hall(), SCORE, start=START)
    listening.press(69)
    for _ in range(60):
        listening.block()
        time.sleep(0.01)
    # Played keys are in no engine that was begun before them.
    assert not listening._stream.merging
    listening.seek(10.0)
    listening.lift(69)
    away = heard_until(listening, whole, -40.0)
    assert away[-1] <= -40.0


def test_an_engine_that_came_too_late_goes_on_to_where_it_is_needed() -> None:
    now = [1_000]
    warmup_of = Warmup(lambda: now[0], 32)
    warmup_of.plan(lambda: Engine(in_a_hall(), SCORE, begins=False))
    warmup_of.begin()
    found = None
    for _ in range(1_000):
        found = warmup_of.take(now[0])
        if found is not None:
            break
        # Quicker at first than it can follow.
        now[0] += 32 if now[0] > 3_000 else 320
        time.sleep(0.02 if now[0] > 3_000 else 0.0)
    assert found is not None
    assert found.tick == now[0] > 3_000
    assert found.whole


def test_it_comes_in_where_it_is_heard_next_whatever_was_rendered_ahead(whole: np.ndarray) -> None:
    """Two seconds are rendered ahead; what has heard all replaces them."""
    played = 0
    listening = Listening(in_a_hall(), SCORE, start=START, replaceable=lambda: played)
    samples = np.zeros((2, 0), np.float32)
    went_back = 0
    while played < 6 * RATE:
        while listening.calls or (listening.settled and listening.frames < played + 2 * RATE):
            stretch = listening.stretch()
            if stretch.frame < samples.shape[1]:
                went_back = samples.shape[1] - stretch.frame
                assert stretch.frame >= played
            samples = np.concatenate([samples[:, : stretch.frame], stretch.signal], axis=1)
            if not listening.settled and listening.frames > played + 4 * SMALL_BLOCK:
                break
        time.sleep(0.01)
        played += 1_024
        while listening.frames < played + SMALL_BLOCK:
            samples = np.concatenate([samples, listening.block()], axis=1)
    assert went_back > RATE
    at = round(START * RATE)
    off = samples - whole[:, at : at + samples.shape[1]]
    assert decibels(off[:, played - RATE : played].std() / whole.std()) < -60.0
    steps = np.abs(np.diff(samples[:, :played], axis=1)).max()
    assert steps < 1.2 * np.abs(np.diff(whole, axis=1)).max()


@pytest.mark.parametrize("after", [200, 2_100, 9_999])
def test_a_change_amid_the_merge_goes_back_into_it(after: int) -> None:
    """Wherever it comes, between two blocks or within one."""
    played = 0
    listening = Listening(in_a_hall(), SCORE, start=START, replaceable=lambda: played)
    while not listening._stream.merging and listening.position < 15.0:
        listening.block()
        played = listening.frames - 20_000
        time.sleep(0.01)
    assert listening._stream.merging
    began = listening.frames
    for _ in range(3):
        listening.stretch()
    played = began + after
    listening.edit(in_a_hall(-7.0))
    assert 0 <= listening.frames - played < TICK
    rest = np.concatenate([listening.stretch().signal for _ in range(6)], axis=1)
    assert not listening._stream.merging
    usual = np.abs(np.diff(render_array(in_a_hall(), SCORE), axis=1)).max()
    assert np.abs(np.diff(rest, axis=1)).max() < 1.2 * usual
