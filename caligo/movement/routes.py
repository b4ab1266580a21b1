"""Routes: modulators move parameters, each in the parameter's own unit.

A logarithmic parameter is moved in octaves, any other in its own unit. The sum of a
parameter's resting value and its routes is kept within the parameter's range.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
from numba import njit

from caligo.catalogue import Moves, Parameter, Scale, implementation
from caligo.catalogue import module as module_spec
from caligo.document.addresses import moved_parameters, parts
from caligo.document.score import Score
from caligo.document.sound import Route, Sound
from caligo.document.tempo import TempoMap
from caligo.movement.envelope import bent
from caligo.movement.modulator import Modulator, Setting
from caligo.movement.notes import Floats, Notes, whole

NO_SCALE = np.ones((1, 1))
SHORT = 512
"""Moments up to which resting courses are kept."""


@njit(cache=True, nogil=True)
def _add_route(
    out: np.ndarray,
    values: np.ndarray,
    scale: np.ndarray,
    gain: float,
    offset: float,
    bend: float,
    depth: float,
) -> None:
    """Add one route to `out` ``[notes, times]``; `values` and `scale` may have a single row."""
    for row in range(out.shape[0]):
        from_row = row if values.shape[0] > 1 else 0
        scale_row = row if scale.shape[0] > 1 else 0
        for k in range(out.shape[1]):
            value = values[from_row, k] * gain + offset
            if bend != 0.0:
                value = math.copysign(bent(abs(value), bend), value)
            factor = scale[scale_row, k] if scale.shape[1] > 1 else scale[scale_row, 0]
            out[row, k] += depth * value * factor


@njit(cache=True, nogil=True)
def _to_unit(out: np.ndarray, low: float, high: float, logarithmic: bool) -> None:
    """Keep within the range and, on a logarithmic scale, go from octaves to the unit."""
    for row in range(out.shape[0]):
        for k in range(out.shape[1]):
            value = out[row, k]
            if logarithmic:
                value = 2.0**value
            out[row, k] = min(max(value, low), high)


Courses = dict[tuple[str, bool], Floats]
"""Modulators' values by id and whether they are shared by all notes."""


class Frame:
    """Moments and notes for which movement is wanted; modulators are computed once in it.

    Parameters
    ----------
    times
        Seconds ``[times]``, rising.
    notes
        The notes that per-note parameters have a row for.
    newest
        For shared parameters: at each of `times`, the newest note's row in `started`, or -1.
    shared
        Where what does not differ by note is kept; given to frames of the same moments.
    """

    def __init__(
        self,
        times: Floats,
        notes: Notes,
        newest: np.ndarray,
        started: Notes,
        shared: Courses | None = None,
    ) -> None:
        self.times = times
        self.notes = notes
        self.newest = newest
        self.started = started
        self._courses: Courses = {}
        self._shared: Courses = {} if shared is None else shared

    def course(self, modulator: Modulator, shared: bool) -> Floats:
        """A modulator's values: ``[1, times]`` where shared, else ``[notes, times]``."""
        same = shared or not modulator.per_note
        courses = self._shared if same else self._courses
        key = (modulator.part.id, same)
        if key not in courses:
            courses[key] = self._compute(modulator, shared)
        return courses[key]

    def _compute(self, modulator: Modulator, shared: bool) -> Floats:
        if not modulator.per_note:
            return modulator.values(self.times, whole(modulator.setting.score.length))
        if not shared:
            return modulator.values(self.times, self.notes)
        # A per-note modulator on a shared parameter follows the newest note.
        out = np.zeros((1, len(self.times)))
        edges = np.flatnonzero(np.diff(self.newest)) + 1
        bounds = [0, *edges.tolist(), len(self.times)]
        for a, b in itertools.pairwise(bounds):
            if a < b and self.newest[a] >= 0:
                note = self.started.row(int(self.newest[a]))
                out[0, a:b] = modulator.values(self.times[a:b], note)[0]
        return out


@dataclass(slots=True)
class Track:
    """A parameter's course: its resting value and the routes that move it."""

    parameter: Parameter
    base: float
    routes: list[tuple[Route, Modulator, Modulator | None]] = field(default_factory=list)
    _still: dict[tuple[int, int], Floats] = field(default_factory=dict)

    @property
    def moved(self) -> bool:
        """Whether any route moves the parameter."""
        return bool(self.routes)

    @property
    def differs_by_note(self) -> bool:
        """Whether each note has a course of its own."""
        return self.parameter.moves is Moves.PER_NOTE and any(
            m.per_note or (s is not None and s.per_note) for _, m, s in self.routes
        )

    def reach(self) -> tuple[float, float]:
        """The lowest and highest value that the routes could lead to, in the own unit."""
        if not self.routes:
            return self.base, self.base
        spread = sum(abs(route.depth) for route, _, _ in self.routes)
        low, high = self.parameter.low, self.parameter.high
        if self.parameter.scale is Scale.LOGARITHMIC:
            return max(low, self.base / 2**spread), min(high, self.base * 2**spread)
        return max(low, self.base - spread), min(high, self.base + spread)

    def values(self, frame: Frame) -> Floats:
        """The course in the parameter's unit: ``[notes, times]``, or ``[1, times]`` if shared.

        Not to be written to: a parameter that stays put gives the same array again and again.
        """
        shared = self.parameter.moves is not Moves.PER_NOTE
        rows = 1 if shared else len(frame.notes)
        if not self.routes:
            return self._at_rest((rows, len(frame.times)))
        logarithmic = self.parameter.scale is Scale.LOGARITHMIC
        rest = math.log2(self.base) if logarithmic else self.base
        out = np.full((rows, len(frame.times)), rest)
        for route, modulator, scaler in self.routes:
            gain, offset = 1.0, 0.0
            if route.polarity == "unipolar" and modulator.bipolar:
                gain, offset = 0.5, 0.5
            elif route.polarity == "bipolar" and not modulator.bipolar:
                gain, offset = 2.0, -1.0
            scale = NO_SCALE
            if scaler is not None:
                scale = frame.course(scaler, shared)
                if scaler.bipolar:
                    scale = scale * 0.5 + 0.5
            _add_route(
                out,
                frame.course(modulator, shared),
                scale,
                gain,
                offset,
                0.04 * route.curve,
                route.depth,
            )
        _to_unit(out, self.parameter.low, self.parameter.high, logarithmic)
        return out

    def _at_rest(self, shape: tuple[int, int]) -> Floats:
        """The resting value at every moment; most parameters are asked for it in every block."""
        found = self._still.get(shape)
        if found is None:
            found = np.full(shape, self.base)
            if shape[1] <= SHORT:
                if len(self._still) >= 16:
                    self._still.clear()
                self._still[shape] = found
        return found


class Bundle:
    """Tracks whose courses are taken together, for one note at a time.

    Most parameters of most sounds stay put; taken one by one, they would cost as much as those
    that move.
    """

    def __init__(self, tracks: Sequence[Track]) -> None:
        self._bases = np.array([track.base for track in tracks])
        self._moving = [(i, track) for i, track in enumerate(tracks) if track.moved]

    def values(self, frame: Frame) -> Floats:
        """The courses of the frame's first note ``[tracks, times]``, the caller's own."""
        out = np.empty((len(self._bases), len(frame.times)))
        out[:] = self._bases[:, None]
        for i, track in self._moving:
            out[i] = track.values(frame)[0]
        return out


class Movement:
    """All modulators and routes of a sound, ready to be asked for any moment.

    Parameters
    ----------
    hold_still
        Leave every parameter at its resting value.
    """

    def __init__(self, sound: Sound, score: Score, *, hold_still: bool = False) -> None:
        self.setting = Setting(sound.seed, sound.number("pace") / 100.0, score, TempoMap(score))
        self.modulators: dict[str, Modulator] = {
            m.id: implementation("modulator", m.kind)(m, self.setting) for m in sound.modulators
        }
        self._sound = sound
        self._values = {path: part for path, _, part in parts(sound)}
        self._tracks: dict[str, Track] = {}
        self._routes: dict[str, list[tuple[Route, Modulator, Modulator | None]]] = {}
        for route in [] if hold_still else sound.routes:
            if route.muted:
                continue
            scaler = self.modulators[route.scaled_by] if route.scaled_by else None
            self._routes.setdefault(route.target, []).append(
                (route, self.modulators[route.source], scaler)
            )

    def track(self, path: str) -> Track:
        """The course of the parameter at an address; it must exist and be a number."""
        if path in self._tracks:
            return self._tracks[path]
        part_path, _, key = path.rpartition(".")
        part = self._values[part_path]
        parameter = module_spec(part.family, part.kind).parameter(key)
        if parameter is None:
            raise KeyError(path)
        found = Track(parameter, part.number(key), self._routes.get(path, []))
        self._tracks[path] = found
        return found

    def moved(self) -> dict[str, Track]:
        """The course of every moved parameter, by address."""
        return {
            a.path: self.track(a.path)
            for a in moved_parameters(self._sound)
            if a.path in self._routes
        }
