"""Voices abreast: what a voice sounds like does not depend on how many others there are."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

import numpy as np
import pytest
import scipy.signal
from numba import njit
from numpy.typing import NDArray

from caligo.kernels import KernelTypeError
from caligo.signal.first_order import run_all_passes, run_slope
from caligo.signal.ladder import run_ladder
from caligo.signal.sections import BELL, run_sections, run_side_by_side
from caligo.signal.state_variable import cutoff_gain, run, sharpness
from caligo.signal.ticks import TICK
from caligo.signal.vector import WIDTH, in_each, load, load_from, store, totals

RATE = 48_000
TICKS = 40
Voices = NDArray[np.float32]
Floats = NDArray[np.float64]


@njit(error_model="numpy")
def _reckon(rows: Any, out: Any) -> None:
    a, b = load(rows, 0), load(rows, 1)
    store(out, 0, a + b)
    store(out, 1, a - b)
    store(out, 2, a * b)
    store(out, 3, a / b)
    store(out, 4, 2.0 * a - 1.0 / b)
    store(out, 5, math.sqrt(abs(a)))
    store(out, 6, in_each(3.0) - b)
    a += b
    a *= 0.5
    a -= 1.0
    store(out, 7, a)


def test_vectors_reckon_as_numbers_do() -> None:
    """IEEE 754: each of eight gives what numpy gives for it alone, infinities included."""
    rows = np.random.default_rng(3).standard_normal((2, WIDTH))
    rows[1, 2] = 0.0
    out = np.zeros((8, WIDTH))
    _reckon(rows, out)
    a, b = rows
    with np.errstate(divide="ignore"):
        wanted = [a + b, a - b, a * b, a / b, 2.0 * a - 1.0 / b, np.sqrt(np.abs(a)), 3.0 - b,
                  0.5 * (a + b) - 1.0]  # fmt: skip
    np.testing.assert_array_equal(out, np.array(wanted))


@njit(error_model="numpy")
def _add_up(numbers: Any, at: Any, out: Any) -> None:
    a, b, c, d = (load_from(numbers, at[0]), load_from(numbers, at[1]), load_from(numbers, at[2]),
                  load_from(numbers, at[3]))  # fmt: skip
    e, f, g, h = (load_from(numbers, at[4]), load_from(numbers, at[5]), load_from(numbers, at[6]),
                  load_from(numbers, at[7]))  # fmt: skip
    store(out, 0, totals(a, b, c, d, e, f, g, h))


@pytest.mark.parametrize("kind", [np.float32, np.float64])
def test_eight_vectors_are_added_up_at_once(kind: type[np.floating[Any]]) -> None:
    """Each on its own, wherever in an array it begins: whole numbers add up exactly."""
    numbers = np.random.default_rng(4).integers(-999, 999, 90).astype(kind)
    at, out = np.array([0, 3, 8, 17, 30, 41, 66, 82]), np.zeros(WIDTH, kind)
    _add_up(numbers, at, out)
    assert out.tolist() == [numbers[n : n + WIDTH].sum() for n in at]


def _filters(rng: np.random.Generator, voices: int) -> dict[str, tuple[int, Callable[..., None]]]:
    """By name: how many numbers a side remembers, and the filter with moving numbers.

    Each takes the signal, the state and which of the voices they are.
    """
    ends = TICKS + 1

    def moving(low: float, high: float, *shape: int) -> Floats:
        return rng.uniform(low, high, (voices, *shape, ends))

    hertz, shares, back = moving(50, 9000), moving(0, 1), moving(-0.9, 0.9)
    cutoff, parted = cutoff_gain(hertz, RATE), cutoff_gain(moving(50, 9000, 2), RATE)
    steep, flat = sharpness(moving(0, 100), True), sharpness(moving(0, 100), False)
    many, lifts = cutoff_gain(moving(50, 9000, 3, 2), RATE), moving(0, 3)
    side, wide, gains = cutoff_gain(moving(50, 9000, 3), RATE), moving(0.05, 1, 3), moving(0, 2, 3)
    resonance, drive = moving(0, 3.8), moving(1, 20)
    return {
        "24 dB": (4, lambda x, s, v: run(x, cutoff[v], steep[v], shares[v], False, s)),
        "12 dB": (2, lambda x, s, v: run(x, parted[v], flat[v], shares[v], True, s)),
        "6 dB": (1, lambda x, s, v: run_slope(x, parted[v], shares[v], False, s)),
        "all-pass": (6, lambda x, s, v: run_all_passes(x, parted[v], back[v], shares[v], s)),
        "ladder": (
            4, lambda x, s, v: run_ladder(x, parted[v], resonance[v], drive[v], shares[v], s)
        ),
        "sections": (
            6, lambda x, s, v: run_sections(x, many[v], flat[v, 0], BELL, lifts[v], shares[v], s)
        ),
        "beside": (
            6, lambda x, s, v: run_side_by_side(x, side[v], wide[v], gains[v], shares[v], s)
        ),
    }  # fmt: skip


KINDS = ("24 dB", "12 dB", "6 dB", "all-pass", "ladder", "sections", "beside")


def _noise(rng: np.random.Generator, voices: int) -> Voices:
    return rng.standard_normal((voices, 2, TICKS * TICK)).astype(np.float32)


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("voices", [2, 4, 7])
def test_a_voice_is_the_same_bits_alone_and_in_company(kind: str, voices: int) -> None:
    rng = np.random.default_rng(voices)
    held, run_filter = _filters(rng, voices)[kind]
    given = _noise(rng, voices)
    given[0, :, : 5 * TICK] = 0.0
    together, states = given.copy(), np.zeros((voices, 2, held))
    run_filter(together, states, slice(None))
    assert np.abs(together - given).max() > 0.01
    for v in range(voices):
        alone, state = given[v : v + 1].copy(), np.zeros((1, 2, held))
        run_filter(alone, state, slice(v, v + 1))
        np.testing.assert_array_equal(alone[0], together[v])
        np.testing.assert_array_equal(state[0], states[v])


@pytest.mark.parametrize("kind", KINDS)
def test_a_voice_that_breaks_leaves_its_neighbours_alone(kind: str) -> None:
    rng = np.random.default_rng(8)
    held, run_filter = _filters(rng, 4)[kind]
    given = _noise(rng, 4)
    whole, states = given.copy(), np.zeros((4, 2, held))
    run_filter(whole, states, slice(None))
    given[2, 1, 1000] = np.nan
    broken, states = given.copy(), np.zeros((4, 2, held))
    run_filter(broken, states, slice(None))
    for v in (0, 1, 3):
        np.testing.assert_array_equal(broken[v], whole[v])
    assert np.isfinite(broken[2, :, 2 * 1024 :]).all()
    assert np.isfinite(states).all()


def test_a_signal_with_gaps_between_its_sides_is_refused() -> None:
    """Blocks are cut out of longer ones: rows lie further apart than they are long."""
    rng = np.random.default_rng(5)
    longer = rng.standard_normal((8, 2, 3 * TICKS * TICK)).astype(np.float32)
    held, run_filter = _filters(rng, 4)["24 dB"]
    with pytest.raises(KernelTypeError, match=r"state_variable\._run takes"):
        run_filter(longer[::2, :, TICK : (TICKS + 1) * TICK], np.zeros((4, 2, held)), slice(None))


def test_four_voices_at_four_corners_are_four_textbook_filters() -> None:
    """Butterworth low-passes of 24 dB by `scipy.signal` (bilinear, corner warped ahead)."""
    rng = np.random.default_rng(6)
    hertz = np.array([80.0, 555.0, 3_000.0, 12_345.0])
    steady = np.ones((4, TICKS + 1))
    given = _noise(rng, 4)
    ours = given.copy()
    cutoff = cutoff_gain(hertz[:, None] * steady, RATE)
    run(ours, cutoff, sharpness(0.0 * steady, True), steady, False, np.zeros((4, 2, 4)))
    for v, corner_hertz in enumerate(hertz):
        sections = scipy.signal.butter(4, corner_hertz, fs=RATE, output="sos")
        theirs = scipy.signal.sosfilt(sections, given[v].astype(float), axis=1)
        np.testing.assert_allclose(ours[v], theirs, atol=2e-6)
