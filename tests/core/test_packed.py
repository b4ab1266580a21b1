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

# Ahead of numba's own look at what it may call: kernels load this as they are compiled.
import caligo.signal.vector_instructions  # noqa: F401
from caligo.kernels import KernelTypeError
from caligo.processing.slopes import slope_sections
from caligo.signal.first_order import run_all_passes, run_slope
from caligo.signal.ladder import run_ladder
from caligo.signal.matched import BELL, sections_of, slopes_of
from caligo.signal.sections import run_sections, run_side_by_side
from caligo.signal.state_variable import cutoff_gain, sharpness
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
    parted = cutoff_gain(moving(50, 9000, 2), RATE)
    steep, flat = sharpness(moving(0, 100), True), sharpness(moving(0, 100), False)
    highs, slopes = moving(50, 9000, 2), slopes_of(False, moving(50, 9000, 2), RATE)
    bells = [
        sections_of(BELL, moving(50, 9000, 2), moving(0.05, 2, 1), RATE, moving(0.5, 2, 1))
        for _ in range(3)
    ]
    side, wide, gains = cutoff_gain(moving(50, 9000, 3), RATE), moving(0.05, 1, 3), moving(0, 2, 3)
    resonance, drive = moving(0, 3.8), moving(1, 20)
    return {
        "24 dB": (4, lambda x, s, v: run_sections(
            x, slope_sections(False, hertz[v, None], steep[v], RATE), shares[v], s)),
        "12 dB": (2, lambda x, s, v: run_sections(
            x, slope_sections(True, highs[v], flat[v], RATE), shares[v], s)),
        "6 dB": (1, lambda x, s, v: run_slope(x, slopes[:, v], shares[v], False, s)),
        "all-pass": (6, lambda x, s, v: run_all_passes(x, parted[v], back[v], shares[v], s)),
        "ladder": (
            4, lambda x, s, v: run_ladder(x, parted[v], resonance[v], drive[v], shares[v], s)
        ),
        "sections": (
            6, lambda x, s, v: run_sections(x, [bell[:, v] for bell in bells], shares[v], s)
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
    with pytest.raises(KernelTypeError, match=r"sections\._run_in_series takes"):
        run_filter(longer[::2, :, TICK : (TICKS + 1) * TICK], np.zeros((4, 2, held)), slice(None))


def test_four_voices_at_four_corners_are_four_textbook_filters() -> None:
    """Butterworth low-passes of 24 dB by `scipy.signal`, as analogue filters, to 10 kHz."""
    hertz = np.array([80.0, 555.0, 3_000.0, 12_345.0])
    steady = np.ones((4, TICKS + 1))
    ours = np.zeros((4, 2, TICKS * TICK), np.float32)
    ours[:, :, 0] = 1.0
    sections = slope_sections(
        False, hertz[:, None, None] * steady[:, None], sharpness(0.0 * steady, True), RATE
    )
    run_sections(ours, sections, steady, np.zeros((4, 2, 4)))
    at = np.fft.rfftfreq(ours.shape[2], 1.0 / RATE)
    heard = (at > 40.0) & (at < 10_000.0)
    for v, corner_hertz in enumerate(hertz):
        b, a = scipy.signal.butter(4, 2.0 * np.pi * corner_hertz, analog=True)
        _, wanted = scipy.signal.freqs(b, a, worN=2.0 * np.pi * at[heard])
        for side in ours[v]:
            found = np.abs(np.fft.rfft(side.astype(float)))[heard]
            assert np.abs(found - np.abs(wanted)).max() < 0.01
