"""After what time the combination of all cycles comes round again, exactly.

Periods are fractions, so their least common multiple is exact: of a/b and c/d it is
lcm(a·d, c·b) / (b·d). Periods in beats and in seconds are compared by the tempo, where it stays.
"""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass, field
from fractions import Fraction

from caligo.catalogue import implementation, module
from caligo.document.score import Score
from caligo.document.sound import Modulator, Sound
from caligo.document.times import Time
from caligo.movement.modulator import NO_TURN, RUNS_ONCE

FARTHEST = Fraction(100 * 365 * 86_400)
"""Seconds (a century) past which it is as good as never."""


@dataclass(frozen=True, slots=True)
class Return:
    """After how many seconds something comes round; or why it does not.

    Parameters
    ----------
    seconds
        None where it never comes round, or has nothing that could.
    why
        In words, where there are no seconds.
    """

    seconds: Fraction | None = None
    why: str = ""


@dataclass(frozen=True, slots=True)
class Returns:
    """When a sound comes round.

    Parameters
    ----------
    whole
        The combination of all that moves something.
    modulators
        Each one alone, by id.
    soonest
        The two modulators whose combination comes round first, and after how many seconds.
    periods
        The resting period of each modulator that has one, in seconds, by id.
    """

    whole: Return
    modulators: dict[str, Return] = field(default_factory=dict)
    soonest: tuple[str, str, Fraction] | None = None
    periods: dict[str, Fraction] = field(default_factory=dict)


def least_common_multiple(periods: list[Fraction]) -> Fraction:
    """The first time that is a whole number of each period.

    Examples
    --------
    33 sixteenths and a bar of four quarters meet after 33 bars (common practice):

    >>> least_common_multiple([Fraction(33, 4), Fraction(4)]) / 4
    Fraction(33, 1)
    """
    found = periods[0]
    for other in periods[1:]:
        over = found.denominator * other.denominator
        found = Fraction(
            math.lcm(found.numerator * other.denominator, other.numerator * found.denominator), over
        )
    return found


def acting(sound: Sound) -> set[str]:
    """The modulators that move something, also by way of others."""
    live = [route for route in sound.routes if not route.muted]
    names = {m.id for m in sound.modulators}
    found: set[str] = set()
    waiting = set().union(*(r.modulators for r in live if r.target.partition(".")[0] not in names))
    while waiting:
        name = waiting.pop()
        if name not in found:
            found.add(name)
            for route in live:
                if route.target.startswith(f"{name}."):
                    waiting |= route.modulators
    return found


class _Judge:
    """Says of each modulator of a sound when it comes round."""

    def __init__(self, sound: Sound, score: Score) -> None:
        self._score = score
        self._pace = Fraction(str(sound.number("pace"))) / 100
        self._drawn = {lane.target for lane in sound.lanes if lane.points and not lane.muted}
        self._moved = {r.target for r in sound.routes if not r.muted} | self._drawn

    @staticmethod
    def _by_chance(modulator: Modulator) -> list[str]:
        """The modulator's parameters that let chance in."""
        return [p.key for p in module("modulator", modulator.kind).parameters if p.seeded]

    def of(self, modulator: Modulator) -> Return:
        """When one modulator comes round."""
        turn = implementation("modulator", modulator.kind).turn(modulator)
        if isinstance(turn, str):
            return Return(why=turn)
        if modulator.scope == "note":
            return Return(why="each note begins it anew")
        if any(target.startswith(f"{modulator.id}.") for target in self._drawn):
            return Return(why="a lane moves it")
        if any(f"{modulator.id}.{key}" in self._moved for key in self._by_chance(modulator)):
            return Return(why="chance in it is moved")
        if f"{modulator.id}.period" in self._moved:
            return Return(why="its period is moved")
        if self._paced(modulator) and "sound.pace" in self._moved:
            return Return(why="the pace is moved")
        period = self.period(modulator)
        if period is None:
            return Return(why="it goes in beats, and the tempo changes")
        return Return(period * turn)

    @staticmethod
    def _paced(modulator: Modulator) -> bool:
        return bool(modulator.params.get("paced", True))

    def period(self, modulator: Modulator) -> Fraction | None:
        """The seconds of a modulator's resting period at the resting pace, if it has any."""
        period = modulator.params.get("period")
        found = self._seconds(period) if isinstance(period, Time) else None
        return found / self._pace if found is not None and self._paced(modulator) else found

    def _seconds(self, period: Time) -> Fraction | None:
        length = Fraction(str(period.value))
        if period.unit == "hold":
            return length * Fraction(str(self._score.length))
        if period.unit == "s":
            return length
        rates = {change.bpm for change in self._score.tempo} or {120.0}
        return length * 60 / Fraction(str(rates.pop())) if len(rates) == 1 else None


NO_CYCLE = (NO_TURN, "each note begins it anew", RUNS_ONCE)
"""What does not keep the others from coming round."""


def returns_after(sound: Sound, score: Score) -> Returns:
    """When the combination of all cycles that move something comes round again."""
    judge = _Judge(sound, score)
    each = {m.id: judge.of(m) for m in sound.modulators}
    names = {m.id: m.name for m in sound.modulators}
    moving = acting(sound)
    counted = {name: each[name] for name in names if name in moving}
    cycles = {name: one.seconds for name, one in counted.items() if one.seconds is not None}
    soonest = min(
        (
            (a, b, least_common_multiple([cycles[a], cycles[b]]))
            for a, b in itertools.combinations(cycles, 2)
        ),
        key=lambda pair: pair[2],
        default=None,
    )
    resting = {m.id: judge.period(m) for m in sound.modulators}
    periods = {name: period for name, period in resting.items() if period is not None}
    return Returns(_together(counted, names), each, soonest, periods)


def _together(counted: dict[str, Return], names: dict[str, str]) -> Return:
    """When all of some modulators come round together."""
    never = [
        f"{names[name]}: {one.why}"
        for name, one in counted.items()
        if one.seconds is None and one.why not in NO_CYCLE
    ]
    if never:
        return Return(why="; ".join(never))
    cycles = [one.seconds for one in counted.values() if one.seconds is not None]
    if not cycles:
        return Return(why="nothing that moves has a cycle")
    together = least_common_multiple(cycles)
    if together > FARTHEST:
        return Return(why="it would take more than a century")
    return Return(together)
