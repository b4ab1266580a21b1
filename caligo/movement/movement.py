"""All that moves in a sound: its modulators, and the trajectories of its parameters."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from caligo.catalogue import Moves, Parameter, Scale, implementation
from caligo.catalogue import module as module_spec
from caligo.document.addresses import moved_parameters, parts
from caligo.document.score import Score
from caligo.document.sound import AutomationLane, Sound
from caligo.document.sound import Modulator as ModulatorPart
from caligo.document.tempo import TempoMap
from caligo.document.times import Time
from caligo.movement.cycles import GRID, Cycles, Travel
from caligo.movement.declared import DeclaredSurroundings
from caligo.movement.hold_still import Frozen, HoldStill
from caligo.movement.lane import LaneValues
from caligo.movement.modulator import Modulator
from caligo.movement.setting import Setting
from caligo.movement.trajectory import Link, Trajectory, Value


class Movement:
    """All modulators and routes of a sound, ready to be asked for any moment.

    Parameters
    ----------
    hold_still
        Whether every parameter keeps its resting value, or the one of a moment.
    """

    def __init__(self, sound: Sound, score: Score, *, hold_still: HoldStill = False) -> None:
        self.setting = Setting(sound.seed, score, TempoMap(score))
        self.sound = sound
        self._parts = {path: part for path, _, part in parts(sound)}
        self._trajectories: dict[str, Trajectory] = {}
        self._links: dict[str, list[Link]] = {}
        self._lanes: dict[str, AutomationLane] = {}
        self._frozen = hold_still.at if isinstance(hold_still, Frozen) else None
        self._integrals: list[Cycles | Travel] = []
        self._periods: set[str] = set()
        self.modulators: dict[str, Modulator] = {m.id: self._modulator(m) for m in sound.modulators}
        if hold_still is True:
            return
        self._lanes = {x.target: x for x in sound.lanes if x.points and not x.muted}
        for route in sound.routes:
            if not route.muted:
                self._links.setdefault(route.target, []).append(
                    Link(
                        route.id,
                        self.modulators[route.source],
                        self.modulators[route.scaled_by] if route.scaled_by else None,
                        route.polarity,
                        route.curve,
                        Value(route.depth),
                        route.rule,
                    )
                )

    def _modulator(self, part: ModulatorPart) -> Modulator:
        kind: type[Modulator] = implementation("modulator", part.kind)
        return kind(part, DeclaredSurroundings(kind, part, self))

    def trajectory(self, path: str) -> Trajectory:
        """The trajectory of the parameter at an address; it must exist and be a number."""
        if path in self._trajectories:
            return self._trajectories[path]
        part_path, _, key = path.rpartition(".")
        part = self._parts[part_path]
        parameter = module_spec(part.family, part.kind).parameter(key)
        if parameter is None:
            raise KeyError(path)
        value = part.params[key]
        time = value if isinstance(value, Time) else None
        found = Trajectory(
            parameter,
            Value(time.value if time else part.number(key)),
            self._shared(part_path, parameter.moves),
            path,
            time.unit if time else "s",
            self._links.get(path, []),
            self._lane(path, parameter),
            # What moves goes on inside, so that it is as it was when it is let go.
            None if part_path in self.modulators or part_path == "sound" else self._frozen,
        )
        self._trajectories[path] = found
        return found

    def _lane(self, path: str, parameter: Parameter) -> LaneValues | None:
        """The lane that is drawn for a parameter, if any."""
        lane = self._lanes.get(path)
        if lane is None:
            return None
        times = np.array([point.time for point in lane.points])
        if lane.unit == "beats":
            times = self.setting.tempo.seconds_at(times)
        return LaneValues(lane.points, times, logarithmic=parameter.scale is Scale.LOGARITHMIC)

    def _shared(self, part_path: str, moves: Moves) -> bool:
        """Whether a parameter has one value for all notes: so have modulators that are one."""
        if isinstance(self._parts[part_path], ModulatorPart):
            return not self.modulators[part_path].per_note
        return moves is not Moves.PER_NOTE

    def cycles(self, period: str, *, paced: bool = True) -> Cycles:
        """The cycles of the period at an address, at the sound's pace or at its own.

        What moves the pace goes at the pace's resting value, or it would move itself.
        """
        pace = self.trajectory("sound.pace") if paced else None
        if pace is not None and period.partition(".")[0] in self._pacers():
            pace = replace(pace, links=[])
        found = Cycles(self.trajectory(period), pace, self.setting.tempo)
        self._integrals.append(found)
        self._periods |= {period, "sound.pace"}
        return found

    def _pacers(self) -> set[str]:
        """The modulators that have a part in moving the pace, through any number of others."""
        found: set[str] = set()
        waiting = [m.part.id for x in self._links.get("sound.pace", []) for m in x.modulators]
        while waiting:
            name = waiting.pop()
            if name not in found:
                found.add(name)
                waiting += [
                    m.part.id
                    for target, links in self._links.items()
                    if target.startswith(f"{name}.")
                    for link in links
                    for m in link.modulators
                ]
        return found

    def travel(self, speed: str, per: float) -> Travel:
        """What the speed at an address, divided by `per`, adds up to since a note began."""
        found = Travel(self.trajectory(speed), per)
        self._integrals.append(found)
        self._periods.add(speed)
        return found

    def _added_up(self, path: str) -> bool:
        """Whether the parameter at an address has a part in what is added up on a grid."""
        return path in self._periods or path.partition(".")[0] in self.modulators

    def moved(self) -> dict[str, Trajectory]:
        """The trajectory of every moved parameter, by address."""
        return {
            a.path: self.trajectory(a.path)
            for a in moved_parameters(self.sound)
            if a.path in self._links or a.path in self._lanes
        }

    def change(self, values: dict[str, float], depths: dict[str, float], at: float) -> None:
        """Take up edited numbers while listening: smoothly, from a moment on.

        Parameters
        ----------
        values, depths
            New resting values by address, and new depths by the ids of routes.
        """
        # What is added up on a grid changes from its next point on, so that nothing jumps.
        later = at + GRID
        for path, value in values.items():
            self.trajectory(path).change(value, later if self._added_up(path) else at)
        for target, links in self._links.items():
            for link in links:
                if link.id in depths:
                    link.depth.change(depths[link.id], later if self._added_up(target) else at)
        for integral in self._integrals:
            integral.change(later)
        for modulator in self.modulators.values():
            modulator.change(at)
