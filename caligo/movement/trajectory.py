"""Trajectories: the values that a parameter really takes, from its resting value and its routes.

A parameter on a logarithmic scale is moved in octaves, any other in its own unit. The sum of the
resting value and the routes is kept within the parameter's range.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from caligo.catalogue import Kind, Parameter, Scale
from caligo.document.sound import Rule
from caligo.document.times import TimeUnit, time_range
from caligo.kernels import kernel
from caligo.movement.curvature import curved
from caligo.movement.lane import LaneValues
from caligo.movement.moments import Moments, ValueSource
from caligo.movement.notes import Floats

NO_SCALE = np.ones((1, 1))
SHORT = 32_768
"""Values up to which resting trajectories are kept."""
GLIDE = 0.02
"""Seconds in which a value that is edited while listening goes to the new one."""


@kernel("f8[:, ::1], f8[:, ::1], f8[:, ::1], f8, f8, f8, f8[::1]")
def _add_route(
    out: np.ndarray,
    values: np.ndarray,
    scale: np.ndarray,
    gain: float,
    offset: float,
    bend: float,
    depth: np.ndarray,
) -> None:
    """Add one route to `out` ``[notes, times]``; `values` and `scale` may have a single row."""
    for row in range(out.shape[0]):
        from_row = row if values.shape[0] > 1 else 0
        scale_row = row if scale.shape[0] > 1 else 0
        for k in range(out.shape[1]):
            value = values[from_row, k] * gain + offset
            if bend != 0.0:
                value = math.copysign(curved(abs(value), bend), value)
            factor = scale[scale_row, k] if scale.shape[1] > 1 else scale[scale_row, 0]
            d = depth[k] if len(depth) > 1 else depth[0]
            out[row, k] += d * value * factor


@kernel("f8[:, ::1], f8, f8, b1, b1")
def _to_unit(out: np.ndarray, low: float, high: float, logarithmic: bool, whole: bool) -> None:
    """Keep within the range and, on a logarithmic scale, go from octaves to the unit."""
    for row in range(out.shape[0]):
        for k in range(out.shape[1]):
            value = out[row, k]
            if logarithmic:
                value = 2.0**value
            if whole:
                value = math.floor(value + 0.5)
            out[row, k] = min(max(value, low), high)


@dataclass(slots=True)
class Value:
    """A number that an edit may change while listening: it goes there in `GLIDE` seconds."""

    now: float
    before: float = 0.0
    changed_at: float | None = None

    def change(self, to: float, at: float) -> None:
        """Go to another value from a moment on."""
        if to != self.now:
            here = self.now if self.changed_at is None else self.at(at)
            self.before, self.now, self.changed_at = here, to, at

    def at(self, moment: float) -> float:
        """Where it is at a moment."""
        gone = float(self.progress(np.array([moment]))[0])
        return self.before + (self.now - self.before) * gone

    def progress(self, times: Floats) -> Floats:
        """How far it has gone at each moment, 0 to 1 ``[times]``."""
        found: Floats = np.clip((times - (self.changed_at or 0.0)) / GLIDE, 0.0, 1.0)
        return found


@dataclass(slots=True)
class Link:
    """A route as a trajectory uses it."""

    id: str
    modulator: ValueSource
    scaler: ValueSource | None
    polarity: str
    curve: float
    depth: Value
    rule: Rule = "newest"

    @property
    def modulators(self) -> tuple[ValueSource, ...]:
        """Whoever has a part in it."""
        return (self.modulator,) if self.scaler is None else (self.modulator, self.scaler)

    def depths(self, times: Floats) -> Floats:
        """The depth at each moment ``[times]``, or ``[1]`` where it stays."""
        depth = self.depth
        if depth.changed_at is None:
            return np.array([depth.now])
        return depth.before + (depth.now - depth.before) * depth.progress(times)


@dataclass(slots=True)
class Trajectory:
    """A parameter's values over time: its resting value and the routes that move it.

    Parameters
    ----------
    shared
        Whether all notes have the same values.
    path
        The parameter's address.
    unit
        For a time: the unit that it is given in.
    lane_values
        The lane that is drawn for it, if any: where it rests at each moment.
    frozen
        The moment whose movement is kept, where all is frozen.

    Attributes
    ----------
    moved
        Whether the value changes over time: by a route, or by an edit while listening.
    """

    parameter: Parameter
    rest: Value
    shared: bool
    path: str = ""
    unit: TimeUnit = "s"
    links: list[Link] = field(default_factory=list)
    lane_values: LaneValues | None = None
    frozen: float | None = None
    moved: bool = field(init=False)
    _resting: dict[tuple[int, int], Floats] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.moved = bool(self.links) or self.lane_values is not None

    @property
    def base(self) -> float:
        """The resting value."""
        return self.rest.now

    @property
    def differs_by_note(self) -> bool:
        """Whether each note has values of its own."""
        return not self.shared and any(m.per_note for link in self.links for m in link.modulators)

    @property
    def acts(self) -> bool:
        """Whether an amount that does nothing at 0 does something."""
        return self.moved or self.base != 0.0

    def limits(self) -> tuple[float, float]:
        """The lowest and the highest value that it may have, in its own unit."""
        parameter = self.parameter
        if parameter.kind is not Kind.TIME:
            return parameter.low, parameter.high
        return time_range(self.unit, parameter.low, parameter.high)

    def reach(self) -> tuple[float, float]:
        """The lowest and highest value that the routes could lead to, in the own unit."""
        spread = sum(max(abs(x.depth.now), abs(x.depth.before)) for x in self.links)
        rests = [self.rest.now] if self.lane_values is None else list(self.lane_values.range)
        if self.rest.changed_at is not None:
            rests.append(self.rest.before)
        lowest, highest = min(rests), max(rests)
        if not self.links and self.lane_values is None:
            return lowest, highest
        low, high = self.limits()
        if self.parameter.scale is Scale.LOGARITHMIC:
            return max(low, lowest / 2**spread), min(high, highest * 2**spread)
        return max(low, lowest - spread), min(high, highest + spread)

    def compact(self, moments: Moments) -> Floats:
        """Like `values`, but ``[1, 1]`` where nothing moves; for kernels that take either."""
        return self.values(moments) if self.moved else self._at_rest((1, 1))

    def values(self, moments: Moments) -> Floats:
        """The values in the parameter's unit: ``[notes, times]``, or ``[1, times]`` if shared.

        Not to be written to: a parameter that stays put gives the same array again and again.
        """
        rows = 1 if self.shared else len(moments.notes)
        if not self.moved:
            known = self._resting.get((rows, len(moments.times)))
            return self._at_rest((rows, len(moments.times))) if known is None else known
        if self.shared and moments.is_part:
            return moments.for_all_notes(id(self), self.values)
        octaves = self.parameter.scale is Scale.LOGARITHMIC
        # What is nothing stays nothing, however many octaves it is moved.
        nothing = octaves and self.base <= 0.0 and self.lane_values is None
        logarithmic = octaves and not nothing
        if nothing and self.rest.changed_at is None:
            return self._at_rest((rows, len(moments.times)))
        out = np.empty((rows, len(moments.times)))
        out[:] = self._rests(moments.times, logarithmic)
        then = moments
        if self.frozen is not None and self.links:
            then = moments.at(np.array([self.frozen]))
        for link in [] if nothing else self.links:
            gain, offset = 1.0, 0.0
            if link.polarity == "unipolar" and link.modulator.bipolar:
                gain, offset = 0.5, 0.5
            elif link.polarity == "bipolar" and not link.modulator.bipolar:
                gain, offset = 2.0, -1.0
            scale = NO_SCALE
            if link.scaler is not None:
                scale = self._modulation(link.scaler, link.rule, then, moments)
                if link.scaler.bipolar:
                    scale = scale * 0.5 + 0.5
            _add_route(
                out,
                self._modulation(link.modulator, link.rule, then, moments),
                scale,
                gain,
                offset,
                0.04 * link.curve,
                link.depths(moments.times),
            )
        low, high = self.limits()
        _to_unit(out, low, high, logarithmic, self.parameter.kind is Kind.INTEGER)
        return out

    def _modulation(
        self, modulator: ValueSource, rule: Rule, then: Moments, moments: Moments
    ) -> Floats:
        """A modulator's values for this parameter; those of one moment where all is frozen."""
        found = then.modulation(modulator, self.shared, self.path, rule)
        return found if then is moments else np.repeat(found, len(moments.times), axis=1)

    def _rests(self, times: Floats, logarithmic: bool) -> Floats | float:
        """The resting value at each moment, in octaves where it is moved in those."""
        if self.lane_values is not None:
            return self.lane_values.values(
                times if self.frozen is None else np.full(len(times), self.frozen)
            )
        rest = self.rest
        now = math.log2(rest.now) if logarithmic else rest.now
        if rest.changed_at is None:
            return now
        if self.parameter.kind is Kind.INTEGER:
            return np.where(times >= rest.changed_at, rest.now, rest.before)
        before = math.log2(max(rest.before, 1e-9)) if logarithmic else rest.before
        return before + (now - before) * rest.progress(times)

    def _at_rest(self, shape: tuple[int, int]) -> Floats:
        """The resting value at every moment; most parameters are asked for it in every block."""
        found = self._resting.get(shape)
        if found is None:
            found = np.full(shape, self.base)
            if shape[0] * shape[1] <= SHORT:
                if len(self._resting) >= 16:
                    self._resting.clear()
                self._resting[shape] = found
        return found

    def at_starts(self, moments: Moments) -> Floats:
        """The value as each note starts ``[notes]``: for what a note takes up once and keeps.

        An edit counts at once, as if the note had started with it.
        """
        notes = moments.notes
        if not self.links and self.lane_values is None:
            return np.full(len(notes), self.base)
        settled = replace(self, rest=Value(self.base), _resting={})
        out = np.empty(len(notes))
        for row in range(len(notes)):
            note = notes.row(row)
            out[row] = settled.values(Moments(note.start, note, moments.started))[0, 0]
        return out

    def change(self, to: float, at: float) -> None:
        """An edit while listening: go to another resting value from a moment on."""
        self.rest.change(to, at)
        self.moved = True
        self._resting.clear()


class Bundle:
    """Trajectories whose values are taken together, for one note at a time.

    Most parameters of most sounds stay put; taken one by one, they would cost as much as those
    that move.
    """

    def __init__(self, trajectories: Sequence[Trajectory]) -> None:
        self._trajectories = list(trajectories)

    @property
    def moved(self) -> bool:
        """Whether any of them changes over time."""
        return any(trajectory.moved for trajectory in self._trajectories)

    def at_rest(self) -> Floats:
        """Their resting values ``[trajectories, 1]``."""
        return np.array([[trajectory.base] for trajectory in self._trajectories])

    def values(self, moments: Moments) -> Floats:
        """The values of the moments' first note ``[trajectories, times]``, the caller's own."""
        out = np.empty((len(self._trajectories), len(moments.times)))
        for i, trajectory in enumerate(self._trajectories):
            out[i] = trajectory.values(moments)[0] if trajectory.moved else trajectory.base
        return out
