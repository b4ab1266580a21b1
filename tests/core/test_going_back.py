"""Listening that is rendered ahead and goes back to where a change is heard."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest

from caligo.document import Score, Sound, read_sound
from caligo.engine.listening.live import Listening
from caligo.engine.listening.loop_start import Loop
from caligo.engine.render.engine import SMALL_BLOCK
from caligo.signal.ticks import TICK
from tests.core.builders import moving_sound, one_note, plain_layer, plain_sound, two_notes

AHEAD = 60_000
"""Frames that are rendered before the change comes."""


class Heard:
    """What a worklet would have, and how far it has played it.

    Parameters
    ----------
    ahead
        Whether it is rendered ahead; without, changes come where the other had gone back to.
    """

    def __init__(self, sound: Sound, score: Score, *, ahead: bool, start: float = 0.0) -> None:
        self.played = 0
        where = (lambda: self.played) if ahead else None
        self.listening = Listening(sound, score, start=start, replaceable=where)
        self.samples = np.zeros((2, 0), np.float32)

    def fill(self, frames: int) -> None:
        """Take stretches until there are so many frames."""
        while self.listening.frames < frames:
            stretch = self.listening.stretch()
            assert stretch.frame <= self.samples.shape[1]
            self.samples = np.concatenate(
                [self.samples[:, : stretch.frame], stretch.signal], axis=1
            )

    def fill_exactly(self, frames: int) -> None:
        """Take blocks until there are exactly so many frames."""
        while self.listening.frames < frames:
            self.listening._stream.engine._threads = 1
            missing = frames - self.listening.frames
            if missing < SMALL_BLOCK:
                signal = self.listening._stream.render(missing // TICK)
            else:
                signal = self.listening.block()
            self.samples = np.concatenate([self.samples, signal], axis=1)


def filtered(cutoff: float = 1_000.0, **more: float) -> Sound:
    layer = plain_layer(table="saw")
    layer["filters"] = [{"id": "f", "kind": "lowpass", "params": {"cutoff": cutoff, **more}}]
    space = {"id": "fx", "kind": "reverb", "params": {"decay": 3.0, "mix": 40.0}}
    return plain_sound(
        layer,
        master={"effects": [space]},
        modulators=[
            {"id": "slow", "name": "Slow", "kind": "lfo", "params": {"period": {"value": 0.7}}}
        ],
        routes=[{"id": "r", "from": "slow", "to": "ground.f.cutoff", "depth": 0.2}],
    )


def without_filter() -> Sound:
    data = filtered().as_document()
    data["layers"][0]["filters"] = []
    data["routes"] = []
    return read_sound(data)


CHANGES: dict[str, Callable[[Listening], None]] = {
    "a number": lambda x: x.edit(filtered(3_000.0)),
    "the structure": lambda x: x.edit(without_filter()),
    "a key": lambda x: x.press(64),
    "hold still": lambda x: x.hold_still(True),
    "panic": lambda x: x.panic(),
    "watch": lambda x: x.watch("ground.f"),
}


@pytest.mark.parametrize("change", CHANGES)
@pytest.mark.parametrize("played", [9_600, 23_104, 40_000])
def test_a_change_is_heard_where_it_can_still_be(change: str, played: int) -> None:
    """Bit for bit as if nothing had been rendered beyond the frame that it is heard from."""
    score = one_note(45, 20.0)
    ahead = Heard(filtered(), score, ahead=True)
    ahead.fill(AHEAD)
    ahead.played = played
    CHANGES[change](ahead.listening)
    came = ahead.listening.frames
    assert came == -(-played // TICK) * TICK
    ahead.fill(AHEAD)
    plain = Heard(filtered(), score, ahead=False)
    plain.fill_exactly(came)
    CHANGES[change](plain.listening)
    plain.fill(AHEAD)
    until = min(ahead.samples.shape[1], plain.samples.shape[1])
    assert np.array_equal(ahead.samples[:, :until], plain.samples[:, :until])
    if change != "watch":
        untouched = Heard(filtered(), score, ahead=False)
        untouched.fill(AHEAD)
        assert np.array_equal(untouched.samples[:, :came], ahead.samples[:, :came])
        after = slice(came, AHEAD)
        assert not np.array_equal(untouched.samples[:, after], ahead.samples[:, after])


def test_changes_in_a_row_go_back_no_further_than_to_the_last() -> None:
    heard = Heard(filtered(), one_note(45, 20.0), ahead=True)
    heard.fill(AHEAD)
    heard.played = 20_000
    heard.listening.press(60)
    heard.played = 10_000  # as a report that comes late would have it
    heard.listening.press(64)
    assert heard.listening.frames == -(-20_000 // TICK) * TICK
    heard.fill(AHEAD)
    heard.played = 20_100
    heard.listening.lift(60)
    # Into the block over which the first one comes in, nothing goes back.
    assert 20_000 <= heard.listening.frames <= 20_000 + 2 * SMALL_BLOCK


def test_a_jump_goes_back_and_fades_from_what_was_there() -> None:
    score = two_notes(20.0)
    heard = Heard(moving_sound(), score, ahead=True)
    heard.fill(AHEAD)
    heard.played = 30_000
    heard.listening.seek(9.0)
    came = heard.listening.frames
    assert 30_000 <= came < 30_000 + TICK
    stretch = heard.listening.stretch()
    assert stretch.frame == came
    assert stretch.at == pytest.approx(9.0, abs=0.01)
    joined = np.concatenate([heard.samples[:, :came], stretch.signal], axis=1)
    steps = np.abs(np.diff(joined, axis=1))
    assert steps[:, came - 8 : came + 8].max() < 1.5 * steps[:, :came].max()


def test_a_loop_turns_ahead_of_what_is_heard_and_is_gone_back_across() -> None:
    heard = Heard(moving_sound(), two_notes(20.0), ahead=True, start=1.0)
    heard.listening.set_loop(Loop(1.0, 2.0))
    heard.fill(3 * 48_000)
    heard.played = 40_000
    heard.listening.press(72)
    assert 40_000 <= heard.listening.frames < 40_000 + TICK
    assert heard.listening.position == pytest.approx(1.0 + 40_000 / 48_000, abs=0.01)
    before = heard.samples.copy()
    heard.fill(3 * 48_000)
    assert np.array_equal(before[:, :40_000], heard.samples[:, :40_000])
    assert not np.array_equal(before[:, 50_000:60_000], heard.samples[:, 50_000:60_000])
    assert heard.listening.position < 2.1


def test_stretches_become_longer_while_nothing_changes_and_short_again() -> None:
    heard = Heard(plain_sound(plain_layer(table="sine")), one_note(57, 30.0), ahead=True)

    def lengths() -> list[int]:
        return [heard.listening.stretch().signal.shape[1] // SMALL_BLOCK for _ in range(7)]

    assert lengths()[:3] == [1, 2, 4]
    heard.played = 40_000
    heard.listening.press(64)
    assert lengths()[:3] == [1, 2, 4]


def test_few_states_are_kept_and_none_that_is_past() -> None:
    heard = Heard(filtered(), one_note(45, 60.0), ahead=True)
    for second in range(1, 20):
        heard.played = 48_000 * (second - 1)
        heard.fill(48_000 * second)
    kept = heard.listening._stream._kept._kept
    assert len(kept) <= 12
    assert kept[1][0] > heard.played
