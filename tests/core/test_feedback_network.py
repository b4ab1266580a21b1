"""The lines of a reverb, piece by piece, against what others compute of the same."""

from __future__ import annotations

import numpy as np
import pytest
import scipy.linalg
import scipy.signal
from numba import njit
from numba.core.errors import NumbaError

from caligo.kernels import kernel
from caligo.signal.feedback_network import (
    APART,
    GROUPS,
    LINES,
    darken,
    lose_and_gather,
    mix_lines,
    pass_on,
    scratch,
)
from caligo.signal.line_reading import read_lines
from caligo.signal.ticks import TICK
from caligo.signal.vector import WIDTH, load, load_lines, store, store_lines

RATE = 48_000.0
RING = 16_384


def rings() -> np.ndarray:
    return np.zeros((LINES, RING + APART), np.float32)


@pytest.mark.parametrize("at", [0, RING - TICK, 5 * RING + 10 * TICK])
def test_each_line_is_darkened_by_its_own_one_pole(at: int) -> None:
    """Against `scipy.signal.lfilter`, over two ticks, and written to where the next one reads."""
    rng = np.random.default_rng(1)
    given = rng.standard_normal((2, LINES, TICK)).astype(np.float32)
    poles = rng.uniform(0.0, 0.95, LINES).astype(np.float32)
    dark = np.tile(poles.reshape(GROUPS, WIDTH), (2, 1))
    dull, lines, turned = np.zeros((GROUPS, WIDTH), np.float32), rings(), scratch().turned
    darken.called(given[0].copy(), dark, dull, at, lines, turned)
    darken.called(given[1].copy(), dark, dull, at + TICK, lines, turned)
    places = (at + np.arange(2 * TICK)) % RING
    for i in range(LINES):
        whole = given[:, i].ravel().astype(np.float64)
        pole = float(poles[i])
        wanted = scipy.signal.lfilter([1.0 - pole], [1.0, -pole], whole)
        np.testing.assert_allclose(lines[i, places], wanted, atol=2e-6)


def test_a_pole_that_moves_goes_over_within_the_tick() -> None:
    """By the equation itself, one number at a time."""
    rng = np.random.default_rng(2)
    given = rng.standard_normal((LINES, TICK)).astype(np.float32)
    ends = rng.uniform(0.0, 0.9, (2, LINES)).astype(np.float32)
    lines = rings()
    dull = np.zeros((GROUPS, WIDTH), np.float32)
    dark = ends.reshape(2 * GROUPS, WIDTH).copy()
    darken.called(given.copy(), dark, dull, 0, lines, scratch().turned)
    held = np.zeros(LINES)
    for n in range(TICK):
        pole = ends[0] + (ends[1] - ends[0]) * n / TICK
        held = (1.0 - pole) * given[:, n] + pole * held
        np.testing.assert_allclose(lines[:, n], held, atol=2e-6)
    np.testing.assert_allclose(dull.ravel(), held, atol=2e-6)


def test_lines_are_mixed_by_a_hadamard_matrix_and_heard_on_either_side() -> None:
    """Against `scipy.linalg.hadamard`; at rest its last step turns by an eighth of a circle."""
    rng = np.random.default_rng(3)
    given = rng.standard_normal((LINES, TICK)).astype(np.float32)
    gain = rng.uniform(0.5, 1.0, (2, LINES)).astype(np.float32)
    fed = rng.standard_normal((2, TICK)).astype(np.float32)
    held, heard = given.copy(), np.zeros((2, TICK), np.float32)
    even = np.full(LINES // 2, np.sqrt(2.0 / LINES) * np.cos(np.pi / 4.0))
    lose_and_gather.called(held, gain[0], gain[1], heard)
    mix_lines.called(held, even, even, even, even, fed)
    way = np.arange(TICK) / TICK
    left = given * (gain[0, :, None] + (gain[1] - gain[0])[:, None] * way)
    matrix = scipy.linalg.hadamard(LINES) / np.sqrt(LINES)
    np.testing.assert_allclose(held, matrix @ left + fed[np.arange(LINES) % 2], atol=3e-6)
    signs = np.array([1.0, -1.0] * (LINES // 4))
    np.testing.assert_allclose(heard[0], signs @ left[0::2], atol=5e-6)
    np.testing.assert_allclose(heard[1], signs @ left[1::2], atol=5e-6)


@pytest.mark.parametrize("step", [0.0, 1e-4, -1e-4, 0.011, -0.013, 0.2, -0.24])
def test_lines_are_read_between_samples_also_where_they_pass_one(step: float) -> None:
    """A tone of 1 kHz comes back as the same tone later, to -90 dB of it, at any place and pace."""
    lines, held = rings(), np.zeros((LINES, TICK), np.float32)
    at = 3 * RING + 7 * TICK
    time = np.arange(at - RING + TICK, at)
    tone = 2.0 * np.pi * 1_000.0 / RATE
    lines[:, time % RING] = np.sin(tone * time)
    # In every way between two samples, and a few that lie just ahead of one.
    samples = 1_500.0 + 601.0 * np.arange(LINES) + np.linspace(0.0, 0.999, LINES)
    still, places = np.zeros(LINES), np.zeros((3, LINES))
    ends = still + step * TICK / RATE
    read_lines.called(
        lines, at, RATE, samples / RATE, 1.0, 1.0, 0.0, 0.0, still, ends, places, held
    )
    n = np.arange(TICK)
    wanted = np.sin(tone * (at + n - samples[:, None] - step * n))
    assert np.abs(held - wanted).max() < 10.0 ** (-90.0 / 20.0)


def test_what_stands_at_the_end_of_a_tick_begins_the_next() -> None:
    ends = np.arange(12.0).reshape(4, 3)
    pass_on.called(ends)
    np.testing.assert_array_equal(ends[:2], ends[2:])
    np.testing.assert_array_equal(ends[2:].ravel(), np.arange(6.0, 12.0))


@njit(error_model="numpy")
def _turn(lines: np.ndarray, rows: np.ndarray, out: np.ndarray) -> None:
    load_lines(lines, 2, 5, rows, 3)
    for n in range(WIDTH):
        store(rows, 3 + n, np.float32(2.0) * load(rows, 3 + n))
    store_lines(rows, 3, out, 1, 4)


def test_eight_lines_are_turned_into_vectors_and_back() -> None:
    lines = np.random.default_rng(4).standard_normal((12, 20)).astype(np.float32)
    rows, out = np.zeros((12, WIDTH), np.float32), np.zeros((12, 20), np.float32)
    _turn(lines, rows, out)
    piece = 2.0 * lines[2 : 2 + WIDTH, 5 : 5 + WIDTH]
    np.testing.assert_array_equal(rows[3 : 3 + WIDTH], piece.T)
    np.testing.assert_array_equal(out[1 : 1 + WIDTH, 4 : 4 + WIDTH], piece)
    out[1 : 1 + WIDTH, 4 : 4 + WIDTH] = 0.0
    assert not out.any()


def _added_up(values: np.ndarray) -> float:
    taken = np.zeros(len(values))
    taken[:] = values
    return float(taken.sum())


def test_a_kernel_that_makes_arrays_has_to_say_so() -> None:
    with pytest.raises(NumbaError):
        kernel("f8[::1]")(_added_up)(np.ones(4))
    assert kernel("f8[::1]", allocates=True)(_added_up)(np.ones(4)) == 4.0
