"""Delay lines that are read while their length moves, against the tone that is in them."""

from __future__ import annotations

import numpy as np
import pytest

from caligo.signal.delay_line import add_tap, read_moving
from caligo.signal.ticks import TICK
from tests.core.builders import RATE

RING = 4_096
TURN = 2.0 * np.pi * 441.0 / RATE


@pytest.mark.parametrize("step", [0.0, 1e-4, 0.02, -0.02, 0.31, -0.31, 0.49, -0.49])
def test_a_line_is_read_at_any_place_and_pace(step: float) -> None:
    """Within, past the samples and around the ring's end; a tap adds what a reading gives."""
    off = 0.0
    # Every tick of the ring, so that each place is at its end once.
    for at in range(RING, 3 * RING, TICK):
        time = np.arange(at - RING + TICK, at + TICK)
        line = np.zeros(RING, np.float32)
        line[time % RING] = np.sin(TURN * time)
        away = 200.0 + 3_000.0 * ((at // TICK * 0.6180339) % 1.0)
        n = np.arange(TICK)
        wanted = np.sin(TURN * (at + n - away - step * n))
        heard, added = np.empty(TICK, np.float32), np.ones(TICK, np.float32)
        read_moving.called(line, at, away, step, heard)
        add_tap.called(line, at, away, step, 0.5, added)
        off = max(off, np.abs(heard - wanted).max(), np.abs(added - 1.0 - 0.5 * wanted).max())
    assert 20.0 * np.log10(off) < -90.0
