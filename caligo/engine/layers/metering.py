"""Levels behind every slot, over the whole length, for whoever wants to read them.

Stages are named by the addresses of what stands there: ``ground.source``, ``ground.filter1``,
``ground.envelope`` (the voices added up), ``nave.reverb``; ``nave.input`` is what goes into a bus
or the master, a layer's or bus's own id the signal behind its fader, and ``output`` is what leaves
the limiter. Without a meter nothing is computed.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from caligo.kernels import kernel
from caligo.signal.ticks import TICK, Span

MASTER, OUTPUT = "master", "output"
"""The slots ahead of the ceiling and behind it."""
CELL_TICKS = 64
"""Ticks over which a level is taken: 85 ms at 48 kHz."""


def input_of(owner: str) -> str:
    """The slot ahead of the chain of a bus or of the master."""
    return f"{owner}.input"


Floats = NDArray[np.float64]
Cells = dict[str, tuple[int, Floats]]
"""For slots by name: the number of the first cell, and ``[cells, 2]``, see `SlotMeter`."""


@kernel("f4[:, ::1], i8, f8[:, ::1]")
def _measure(signal: np.ndarray, first: int, cells: np.ndarray) -> None:
    """Add the energy and peak of ``[2, samples]`` to `cells`, from tick `first` of the first."""
    for c in range(2):
        for k in range(signal.shape[1] // TICK):
            cell = (first + k) // CELL_TICKS
            energy = np.float32(0.0)
            peak = np.float32(0.0)
            for n in range(TICK):
                x = signal[c, k * TICK + n]
                energy += x * x
                peak = max(peak, abs(x))
            cells[cell, 0] += energy
            cells[cell, 1] = max(cells[cell, 1], peak)


class Meter(Protocol):
    """Whoever wants to know what comes out of slots."""

    def wants(self, slot: str) -> bool:
        """Whether it wants to know of a slot; what nobody wants is not computed."""

    def add(self, slot: str, span: Span, signal: NDArray[np.float32]) -> None:
        """A slot's signal ``[2, samples]`` over a span."""


@dataclass(frozen=True, slots=True)
class SlotLevel:
    """A slot's level over time: mean power and peak of every cell, in dB ``[cells]``."""

    first: int
    power: Floats
    peak: Floats


class SlotMeter:
    """Gathers levels of slots: for each cell the energy of both channels, and the peak."""

    def __init__(self) -> None:
        self._cells: dict[str, Floats] = {}
        self._first: dict[str, int] = {}

    def wants(self, slot: str) -> bool:
        """See `Meter`: all of them."""
        return True

    def add(self, slot: str, span: Span, signal: NDArray[np.float32]) -> None:
        """Measure a slot's signal ``[2, samples]`` over a span."""
        cell = span.first // CELL_TICKS
        last = (span.first + span.ticks - 1) // CELL_TICKS
        cells = self._extended(slot, cell, last)
        _measure(signal, span.first - self._first[slot] * CELL_TICKS, cells)

    def _extended(self, slot: str, first: int, last: int) -> Floats:
        """The slot's cells, which reach from `first` to `last` at least."""
        cells = self._cells.get(slot)
        if cells is None or not self._first[slot] <= first <= self._first[slot] + len(cells):
            cells, self._first[slot] = np.zeros((0, 2)), first
        missing = last + 1 - self._first[slot] - len(cells)
        if missing > 0:
            cells = np.concatenate([cells, np.zeros((missing, 2))])
        self._cells[slot] = cells
        return cells

    def take(self, cells: Cells) -> None:
        """Take over what was measured before; see `since`."""
        for slot, (first, found) in cells.items():
            if not len(found):
                continue  # kept by an earlier version
            held = self._extended(slot, first, first + len(found) - 1)
            at = first - self._first[slot]
            held[at : at + len(found)] = found

    def since(self, tick: int, prefix: str) -> Cells:
        """What was measured from a tick on of slots whose name begins with `prefix`.

        A slot that has been silent since, so that nothing was computed, is not in it.
        """
        cell = tick // CELL_TICKS
        return {
            slot: (
                max(cell, self._first[slot]),
                cells[max(0, cell - self._first[slot]) :].copy(),
            )
            for slot, cells in self._cells.items()
            if slot.startswith(prefix) and self._first[slot] + len(cells) > cell
        }

    def levels(self) -> dict[str, SlotLevel]:
        """Every slot's level over time, in dB under full scale."""
        samples = 2 * CELL_TICKS * TICK
        return {
            slot: SlotLevel(
                self._first[slot],
                10.0 * np.log10(np.maximum(cells[:, 0] / samples, 1e-12)),
                20.0 * np.log10(np.maximum(cells[:, 1], 1e-6)),
            )
            for slot, cells in self._cells.items()
        }

    def now(self) -> dict[str, tuple[float, float]]:
        """Mean power and peak of each slot's newest cell, in dB."""
        return {
            slot: (float(level.power[-1]), float(level.peak[-1]))
            for slot, level in self.levels().items()
        }
