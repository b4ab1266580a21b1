"""What has passed since a note began: cycles of a period, or a way at a speed, that may move.

Where neither the period nor the pace moves, cycles are a product. Where one does, they are the
integral of the rate over one fixed grid that begins with the note: the same grid for pictures,
listening and export, whatever the blocks, so a render from minute 29 is what a render from the
start would be. Between two points of the grid the rate goes in a line, and its integral is exact.
"""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from caligo.document.tempo import TempoMap
from caligo.kernels import kernel
from caligo.movement.moments import Moments
from caligo.movement.notes import Floats, Notes
from caligo.movement.trajectory import Trajectory

GRID = 1.0 / 50.0
"""Seconds from one point of the grid to the next."""
AHEAD = 64
"""Points that are added at a time, so that small blocks do not ask for every single one."""
KEPT = 256
"""Notes whose sums are kept."""


@kernel("f8[::1], f8[::1], f8, f8[::1]")
def _add_up(phase_rate: np.ndarray, rate: np.ndarray, passed: float, out: np.ndarray) -> None:
    """The trapezoidal sum over `phase_rate` ``[points]``, from `passed`, in one order for all."""
    out[0] = passed
    for i in range(1, len(phase_rate)):
        passed += 0.5 * (rate[i - 1] + rate[i]) * (phase_rate[i] - phase_rate[i - 1])
        out[i] = passed


@kernel("f8[::1], f8[::1], f8[::1], f8[::1], f8[::1], f8[::1]")
def _read(
    points: np.ndarray,
    phase_rate: np.ndarray,
    rate: np.ndarray,
    passed: np.ndarray,
    here: np.ndarray,
    out: np.ndarray,
) -> None:
    """Cycles between the grid's points.

    Parameters
    ----------
    points
        Each moment's place on the grid, in points ``[times]``.
    phase_rate, rate, passed
        At every point of the grid.
    here
        The way at each moment ``[times]``.
    """
    for k in range(len(points)):
        i = min(max(int(points[k]), 0), len(phase_rate) - 2)
        whole = phase_rate[i + 1] - phase_rate[i]
        x = here[k] - phase_rate[i]
        fraction = x / whole if whole > 0.0 else 0.0
        out[k] = passed[i] + x * (rate[i] + 0.5 * fraction * (rate[i + 1] - rate[i]))


@dataclass(slots=True)
class _Sum:
    """What one note's rate has added up to, at every point of the grid so far."""

    phase_rate: Floats = field(default_factory=lambda: np.zeros(0))
    rate: Floats = field(default_factory=lambda: np.zeros(0))
    passed: Floats = field(default_factory=lambda: np.zeros(0))


class GridIntegral:
    """The integral of a rate since a note began, for each note.

    Parameters
    ----------
    rate
        The rate at moments of one note ``[times]``.
    phase_rate
        What the rate is integrated over, since a note's start ``[times]``: seconds, beats or
        fractions of the note.
    """

    def __init__(
        self, rate: Callable[[Moments], Floats], phase_rate: Callable[[Floats, Notes], Floats]
    ) -> None:
        self._rate = rate
        self._phase_rate = phase_rate
        self._sums: dict[tuple[float, int], _Sum] = {}
        self._lock = threading.Lock()

    def at(self, moments: Moments) -> Floats:
        """The integral at each moment ``[notes, times]``."""
        out = np.empty((len(moments.notes), len(moments.times)))
        for row in range(len(moments.notes)):
            note = moments.notes.row(row)
            points = (moments.times - note.start[0]) / GRID
            with self._lock:
                found = self._up_to(int(points[-1]) + 2, note, moments)
            here = self._phase_rate(moments.times, note)
            _read(points, found.phase_rate, found.rate, found.passed, here, out[row])
        return out

    def _up_to(self, last: int, note: Notes, moments: Moments) -> _Sum:
        key = (float(note.start[0]), int(note.seed[0]))
        found = self._sums.setdefault(key, _Sum())
        first = len(found.phase_rate)
        if last >= first:
            count = max(last + 1 - first, AHEAD)
            # The last point known is taken once more: its sum is what the next ones add to.
            begin = max(first - 1, 0)
            times = note.start[0] + GRID * np.arange(begin, first + count, dtype=np.float64)
            rate = self._rate(Moments(times, note, moments.started))
            phase_rate = self._phase_rate(times, note)
            passed = np.empty(len(phase_rate))
            _add_up(phase_rate, rate, found.passed[begin] if first else 0.0, passed)
            found.phase_rate = np.concatenate([found.phase_rate[:begin], phase_rate])
            found.rate = np.concatenate([found.rate[:begin], rate])
            found.passed = np.concatenate([found.passed[:begin], passed])
        if len(self._sums) > KEPT:
            oldest = next(iter(self._sums))
            if oldest != key:
                del self._sums[oldest]
        return found

    def change(self, at: float) -> None:
        """Something that the rate depends on changes from a moment on; what passed stays."""
        with self._lock:
            for (start, _), held in self._sums.items():
                known = max(0, int((at - start) / GRID) + 1)
                held.phase_rate, held.rate = held.phase_rate[:known], held.rate[:known]
                held.passed = held.passed[:known]


class Cycles:
    """The cycles of one period since each note began.

    Parameters
    ----------
    period
        A time.
    pace
        What scales the speed, in per cent, if anything does.
    """

    def __init__(self, period: Trajectory, pace: Trajectory | None, tempo: TempoMap) -> None:
        self._period = period
        self._pace = pace
        self._tempo = tempo
        self._integral = GridIntegral(self._rate, self._phase_rate)
        self.change = self._integral.change

    def at(self, moments: Moments) -> Floats:
        """Cycles passed since each note's start ``[notes, times]``; before it they are negative."""
        if self._period.moved or (self._pace is not None and self._pace.moved):
            return self._integral.at(moments)
        times, notes = moments.times, moments.notes
        period = self._period.base
        pace = 1.0 if self._pace is None else self._pace.base / 100.0
        if self._period.unit == "beats":
            start = self._tempo.beats_at(notes.start)[:, None]
            passed = self._tempo.beats_at(times)[None, :] - start
            found: Floats = passed * (pace / period)
            return found
        span = notes.hold * period if self._period.unit == "hold" else np.full(len(notes), period)
        found = (times[None, :] - notes.start[:, None]) * (pace / span)[:, None]
        return found

    def _rate(self, moments: Moments) -> Floats:
        pace = 1.0 if self._pace is None else self._pace.values(moments)[0] / 100.0
        rate: Floats = pace / self._period.values(moments)[0]
        return rate

    def _phase_rate(self, times: Floats, note: Notes) -> Floats:
        """Time since a note's start in the period's unit ``[times]``."""
        if self._period.unit == "beats":
            return self._tempo.beats_at(times) - self._tempo.beats_at(note.start)
        since = times - note.start
        return since / note.hold if self._period.unit == "hold" else since


class Travel:
    """How far something has moved on since each note began, at a speed that may move.

    Parameters
    ----------
    per
        By what the speed is divided to get units in a second.
    """

    def __init__(self, speed: Trajectory, per: float) -> None:
        self._speed = speed
        self._per = per
        self._integral = GridIntegral(
            lambda moments: self._speed.values(moments)[0] / self._per,
            lambda times, note: np.maximum(0.0, times - note.start),
        )
        self.change = self._integral.change

    @property
    def steady(self) -> bool:
        """Whether the speed stays."""
        return not self._speed.moved

    def speeds(self, moments: Moments) -> Floats:
        """The speed in units per second ``[notes, times]``."""
        found: Floats = self._speed.values(moments) / self._per
        return found

    def at(self, moments: Moments) -> Floats:
        """The distance in units at each moment ``[notes, times]``; before a note nothing."""
        if not self.steady:
            return self._integral.at(moments)
        since = np.maximum(0.0, moments.times[None, :] - moments.notes.start[:, None])
        found: Floats = since * (self._speed.base / self._per)
        return found
