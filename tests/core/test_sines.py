"""The bank of sines, and what is added up since a note began."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from caligo.engine.render.engine import Engine
from caligo.signal.ticks import TICK, Span
from caligo.synthesis.phases import Accumulated, accumulate_phase
from caligo.synthesis.recent import Recent
from caligo.synthesis.sines import CELL, add_sines, advance_phases, phasors, travelled
from tests.core.builders import RATE, one_note, plain_sound


@given(st.lists(st.floats(-1e6, 1e6), min_size=1, max_size=40))
def test_phasors_are_cosines_and_sines(cycles: list[float]) -> None:
    phase = np.array(cycles)
    cosine, sine = np.empty(len(phase), np.float32), np.empty(len(phase), np.float32)
    phasors.called(phase, cosine, sine)
    exact = 2 * np.pi * (phase - np.floor(phase))
    assert np.abs(cosine - np.cos(exact)).max() < 1e-6
    assert np.abs(sine - np.sin(exact)).max() < 1e-6


def test_cycles_of_a_moving_pitch_are_its_integral() -> None:
    """Against the trapezoid rule of numpy, which the sum is by definition."""
    step = np.linspace(0.001, 0.004, 101)
    trajectory = np.empty(100)
    end = accumulate_phase(2.0, step, trajectory)
    whole = 2.0 + np.concatenate([[0.0], np.cumsum(0.5 * TICK * (step[:-1] + step[1:]))])
    np.testing.assert_allclose(trajectory, whole[:-1], rtol=1e-12)
    assert end == pytest.approx(whole[-1])
    assert end == pytest.approx(2.0 + np.trapezoid(step, dx=TICK))


def test_ratios_that_change_within_a_cell_are_integrated_too() -> None:
    """r(x) = r + x (r' − r) times the pitch, against a fine Riemann sum."""
    step = 0.002 * np.exp2(np.linspace(0.0, 0.5, CELL + 1))
    whole, leaning = np.empty((1, CELL + 1)), np.empty((1, CELL + 1))
    travelled(step, whole, leaning)
    ratio = np.array([[3.0], [3.4]])
    phase = np.array([0.25])
    passed = np.empty((1, 1))
    advance_phases(phase, ratio, whole, leaning, passed)
    x = np.linspace(0.0, 1.0, 100_001)
    pitch = np.interp(x * CELL, np.arange(CELL + 1), step)
    exact = 0.25 + np.trapezoid((3.0 + 0.4 * x) * pitch, x) * CELL * TICK
    assert passed[0, 0] == 0.25
    assert (phase[0] - exact + 0.5) % 1.0 - 0.5 == pytest.approx(0.0, abs=1e-3)


def test_a_bank_is_the_sum_of_its_sines() -> None:
    cells, partials = 4, 9
    step = np.full(cells * CELL + 1, 440.0 / RATE)
    whole, leaning = np.empty((cells, CELL + 1)), np.empty((cells, CELL + 1))
    travelled(step, whole, leaning)
    ratio = np.tile(np.arange(1.0, partials + 1.0), (cells + 1, 1))
    begin = np.linspace(0.0, 0.9, partials)
    phases = np.empty((cells, partials))
    advance_phases(begin.copy(), ratio, whole, leaning, phases)
    level = np.tile((1.0 / np.arange(1, partials + 1)).astype(np.float32), (cells + 1, 1))
    out = np.zeros((2, cells * CELL * TICK), np.float32)
    add_sines(phases, ratio, whole, leaning, level, 0.5 * level, 0, out)
    n = np.arange(out.shape[1])
    exact = sum(
        np.sin(2 * np.pi * (begin[p] + (p + 1) * 440.0 / RATE * n)) / (p + 1)
        for p in range(partials)
    )
    assert np.abs(out[0] - exact).max() < 2e-4
    np.testing.assert_allclose(out[1], 0.5 * out[0], atol=1e-5)


def test_a_bank_begins_at_any_tick() -> None:
    step = np.full(2 * CELL + 1, 300.0 / RATE)
    whole, leaning = np.empty((2, CELL + 1)), np.empty((2, CELL + 1))
    travelled(step, whole, leaning)
    ratio, gain = np.ones((3, 3)), np.full((3, 3), 0.2, np.float32)
    ratio[:, 1], ratio[:, 2] = 2.5, 7.1
    phases = np.empty((2, 3))
    advance_phases(np.zeros(3), ratio, whole, leaning, phases)
    all_of_it = np.zeros((2, 2 * CELL * TICK), np.float32)
    add_sines(phases, ratio, whole, leaning, gain, gain, 0, all_of_it)
    rest = np.zeros((2, (2 * CELL - 5) * TICK), np.float32)
    add_sines(phases, ratio, whole, leaning, gain, gain, 5, rest)
    np.testing.assert_array_equal(rest, all_of_it[:, 5 * TICK :])


def block_at(first: int, ticks: int = 16, preview: bool = False) -> object:
    """A block of a plain sound."""
    engine = Engine(plain_sound(), one_note(57, 20.0), preview=preview)
    return engine.layers["ground"].voices.block(Span(first, ticks, RATE), [0])


def test_what_was_added_up_is_kept_and_else_added_again() -> None:
    counted: list[int] = []

    def advance(added: np.ndarray, frame: object, pitch: np.ndarray) -> None:
        counted.append(pitch.shape[1] - 1)
        added[0] += pitch.shape[1] - 1

    added = Accumulated()
    first = block_at(1000)
    assert added.up_to(first, 0, np.zeros(1), advance)[0] == 1000
    added.keep(first, 0, np.array([1016.0]))
    assert added.up_to(block_at(1016), 0, np.zeros(1), advance)[0] == 1016
    assert sum(counted) == 1000
    # Before what is kept, everything is added up anew.
    assert added.up_to(block_at(500), 0, np.zeros(1), advance)[0] == 500
    assert added.up_to(block_at(1011), 0, np.zeros(1), advance, cell=16, before=32)[0] == 976


def test_a_rough_block_adds_nothing_up() -> None:
    def never(added: np.ndarray, frame: object, pitch: np.ndarray) -> None:
        raise AssertionError

    begun = Accumulated().up_to(block_at(9000, preview=True), 0, np.full(3, 0.5), never)
    # Anywhere in their cycles, each its own way, and always the same.
    assert ((begun >= 0.5) & (begun < 1.5)).all()
    assert len(set(begun.tolist())) == 3
    again = Accumulated().up_to(block_at(9000, preview=True), 0, np.full(3, 0.5), never)
    assert np.array_equal(begun, again)


def test_recent_pieces_are_shared_by_neighbours_and_let_go() -> None:
    recent: Recent[str] = Recent()
    pieces = recent.of(block_at(0), 0, 0)
    pieces.update({0: "a", 1: "b", 2: "c"})
    assert recent.of(block_at(16), 0, 1) == {1: "b", 2: "c"}
    assert recent.of(block_at(64), 0, 5) == {}
