"""Several workers play a layer's voices: the same samples, and the same state to go on from."""

from __future__ import annotations

import threading
from typing import Any

import numpy as np
import pytest

from caligo.document.held import held_chord
from caligo.engine.layers import split_source
from caligo.engine.render.engine import Engine
from caligo.movement.block import SourceBlock
from caligo.sources.wavetable import Wavetable
from tests.core.builders import layer_of, plain_sound
from tests.core.test_unison_drift import KINDS, in_unison

CHORD = held_chord("A2 E3 B3 C#4 F#4", 8.0)
BLOCKS = (100, 16, 130, 16, 16, 64)
"""Ticks: long blocks are shared out, short ones are not."""


def moving(kind: str) -> Any:
    """Three oscillators for each note, whose pitch moves, so that cycles have to be added up."""
    layer = in_unison(kind, unison=3)
    layer["filters"] = [{"id": "filter1", "kind": "lowpass", "params": {"cutoff": 900}}]
    lfo = {"id": "lfo", "name": "LFO", "kind": "lfo", "scope": "note"}
    routes = [{"id": "r1", "from": "lfo", "to": "ground.transpose", "depth": 3},
              {"id": "r2", "from": "lfo", "to": "ground.source.detune", "depth": 4}]  # fmt: skip
    return plain_sound(layer, modulators=[lfo], routes=routes)


def rest_of(engine: Engine) -> np.ndarray:
    return np.concatenate([engine.render(ticks) for ticks in BLOCKS], axis=1)


@pytest.mark.parametrize("kind", [*KINDS, "noise"])
def test_any_number_of_workers_gives_the_same_samples(kind: str) -> None:
    sound = plain_sound(layer_of("noise", tilt=-3)) if kind == "noise" else moving(kind)
    one, two, four = (rest_of(Engine(sound, CHORD, threads=n)) for n in (1, 2, 4))
    assert np.abs(one).max() > 0.01
    assert np.array_equal(one, two)
    assert np.array_equal(one, four)


@pytest.mark.parametrize("kind", list(KINDS))
def test_what_was_added_up_goes_over_to_another_number_of_workers(kind: str) -> None:
    sound = moving(kind)
    for before, after in ((1, 3), (3, 1), (2, 3)):
        engine, other = Engine(sound, CHORD, threads=before), Engine(sound, CHORD, threads=after)
        rest_of(engine)
        other.restore_state(engine.save_state())
        assert np.array_equal(rest_of(engine), rest_of(other))


def test_long_blocks_are_shared_out_and_short_ones_are_not(monkeypatch: pytest.MonkeyPatch) -> None:
    played: list[tuple[int, int]] = []

    class Watched(Wavetable):
        def render(self, block: SourceBlock, out: np.ndarray) -> None:
            played.append((threading.get_ident(), len(block.voices)))
            super().render(block, out)

    monkeypatch.setattr("caligo.engine.layers.source_input.implementation", lambda *_: Watched)
    engine = Engine(plain_sound(), CHORD, threads=2)
    played.clear()
    engine.render(split_source.SHORT // 64)
    assert sorted(voices for _, voices in played) == [2, 3]
    assert len({thread for thread, _ in played}) == 2
    played.clear()
    engine.render(1)
    assert len(played) == 2
    assert {thread for thread, _ in played} == {threading.get_ident()}


def test_what_goes_wrong_in_a_worker_is_told(monkeypatch: pytest.MonkeyPatch) -> None:
    class Failing(Wavetable):
        def render(self, block: SourceBlock, out: np.ndarray) -> None:
            if threading.current_thread() is not threading.main_thread():
                raise ArithmeticError("in a worker")

    monkeypatch.setattr("caligo.engine.layers.source_input.implementation", lambda *_: Failing)
    with pytest.raises(ArithmeticError, match="in a worker"):
        Engine(plain_sound(), CHORD, threads=2).render(200)
