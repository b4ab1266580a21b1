"""One parameter: its unit, range, scale, default, and whether it may be moved."""

from __future__ import annotations

import math
from dataclasses import dataclass
from enum import StrEnum
from typing import Any


class Kind(StrEnum):
    """What a parameter's value is in a document."""

    NUMBER = "number"
    INTEGER = "integer"
    CHOICE = "choice"
    SWITCH = "switch"
    TIME = "time"
    NUMBERS = "numbers"
    REFERENCE = "reference"


class Scale(StrEnum):
    """How a parameter's range is laid out on screen, and in which domain it is moved."""

    LINEAR = "linear"
    LOGARITHMIC = "logarithmic"
    DECIBEL = "decibel"
    SQUARED = "squared"
    """Laid out by the root, with more space for what is small; moved in the unit."""


class Moves(StrEnum):
    """Whether routes may move a parameter, and if one value serves each note or all of them."""

    NO = "no"
    PER_NOTE = "per note"
    SHARED = "shared"


class Display(StrEnum):
    """How a value is written on the screen, where its unit does not say it."""

    UNIT = "unit"
    NOTE = "note"
    """A MIDI key number, shown as the name of the note."""
    VELOCITY = "velocity"
    """A MIDI velocity, 1 to 127."""


def numbers(text: str) -> list[float]:
    """A list of numbers as a default writes it: separated by spaces."""
    return [float(word) for word in text.split()]


GENTLE = {"oct": 0.3, "dB": 1.5, "ct": 4.0, "%": 12.0, "dB/oct": 0.8, "ct/oct": 3.0, "ppm": 60.0}
GENTLE_FRACTION = 0.08
"""Depths of slight movement by unit, else a fraction of the range (common practice: a slight
movement of many parameters, not a deep one of one)."""
NOTICED = {"oct": 0.03, "dB": 0.5, "ct": 3.0, "%": 1.0, "dB/oct": 0.3, "ct/oct": 1.0, "ppm": 25.0}
NOTICED_FRACTION = 0.01
"""Just noticeable differences by unit, from memory: about 0.5 to 1 dB of level and 0.2 % of a low
frequency (Fastl and Zwicker, Psychoacoustics, chapter 7), some 2 % of a filter's cutoff, the
stiffness that raises the twelfth partial by 0.2 %; and a hundredth of the range where none is
known."""
LONGEST_BEATS = 4096.0
LONGEST_HOLD = 8.0
"""The longest times in beats, and in lengths of the held note."""
SHORTEST_MOVED = 0.01
"""The shortest time, in seconds, that the depth of a route to a time reckons with."""


@dataclass(frozen=True, slots=True)
class Choice:
    """One of the values of a choice parameter."""

    value: str
    name: str


@dataclass(frozen=True, slots=True)
class Parameter:
    """A named quantity of a module, in its real unit.

    Parameters
    ----------
    key, name, help
        The key used in documents, the name on screen, and one line of explanation.
    unit
        ``Hz``, ``ct`` (cents), ``st`` (semitones), ``dB``, ``%``, ``ms``, ``s``, ``oct`` or empty.
    low, high
        The allowed range, both ends included; for a time, in seconds.
    default
        A number, a choice's value, a bool, for a time a number of seconds, for a list of
        numbers a text.
    when
        ``(key, values)``: the parameter has an effect only while the choice or switch ``key``
        of the same module has one of ``values``; or ``(key, ())``: only while the number ``key``
        is not at the value where it is `off`. The screen hides it otherwise.
    most
        For a list of numbers: how many it may hold.
    of
        For a reference: what it names, ``recording``, ``table``, ``layer``, ``signal`` (a layer
        or a bus), or a kind of item of the same source; an empty text refers to nothing.
    needed
        For a reference: whether the part makes no sense without what it names, and goes with it.
    group
        The heading under which the screen lists it, among the others of its module.
    display
        How its values are written.
    seeded
        Whether chance has a part in what it does, so that a new seed changes it.
    off
        The value at which it does nothing, for an amount that switches others on; see `when`.
    follows_key
        The parameter of the same module that says, in per cent, how far this one goes along with
        the key: 100 doubles it with each octave over C4.
    idle
        The value up to which nothing is computed for it: an edit that leaves it, or comes back to
        it, builds a new engine.
    rebuilds
        Whether an edit builds a new engine though routes may move it: what it chooses is laid out
        as an engine is built.
    gentle
        A depth of movement that is heard but draws no attention, in `depth_unit`; by default one
        that suits the unit.
    """

    key: str
    name: str
    help: str
    unit: str = ""
    low: float = 0.0
    high: float = 1.0
    default: float | str | bool = 0.0
    kind: Kind = Kind.NUMBER
    scale: Scale = Scale.LINEAR
    moves: Moves = Moves.NO
    choices: tuple[Choice, ...] = ()
    when: tuple[str, tuple[str, ...]] | None = None
    most: int = 64
    of: str = ""
    needed: bool = False
    group: str = ""
    display: Display = Display.UNIT
    seeded: bool = False
    off: float | None = None
    follows_key: str = ""
    idle: float | None = None
    rebuilds: bool = False
    gentle: float = 0.0

    def __post_init__(self) -> None:
        if self.kind is Kind.CHOICE:
            if self.default not in {choice.value for choice in self.choices}:
                raise ValueError(f"{self.key}: the default {self.default!r} is not a choice")
        elif self.kind is Kind.REFERENCE:
            if not self.of or self.default != "":
                raise ValueError(f"{self.key}: a reference says what it names, and begins empty")
        elif self.kind is Kind.NUMBERS:
            if not all(self.low <= v <= self.high for v in numbers(str(self.default))):
                raise ValueError(f"{self.key}: the default {self.default!r} is out of range")
        elif self.kind is not Kind.SWITCH and not self.low <= float(self.default) <= self.high:
            raise ValueError(f"{self.key}: the default {self.default!r} is out of range")
        if self.scale is Scale.LOGARITHMIC and self.low <= 0 and self.kind is not Kind.TIME:
            raise ValueError(f"{self.key}: a logarithmic range starts above 0")

    @property
    def depth_unit(self) -> str:
        """The unit of a route's depth: octaves on a logarithmic scale, else the own unit."""
        return "oct" if self.scale is Scale.LOGARITHMIC else self.unit

    @property
    def depth_limit(self) -> float:
        """The largest depth of a route: the whole range, in `depth_unit`."""
        if self.scale is Scale.LOGARITHMIC:
            # A time may begin at nothing, which no number of octaves leads to.
            return math.ceil(math.log2(self.high / (self.low or SHORTEST_MOVED)))
        return self.high - self.low

    @property
    def gentle_depth(self) -> float:
        """A depth of movement that is heard but draws no attention, in `depth_unit`."""
        depth = self.gentle or GENTLE.get(self.depth_unit, GENTLE_FRACTION * self.depth_limit)
        return min(depth, self.depth_limit)

    @property
    def noticed(self) -> float:
        """The least movement that is heard, in `depth_unit`; see `NOTICED`."""
        return NOTICED.get(self.depth_unit, NOTICED_FRACTION * self.depth_limit)

    @property
    def two_sided(self) -> bool:
        """Whether the values lie on both sides of a middle where nothing happens."""
        return self.low < 0.0 < self.high and self.scale is not Scale.DECIBEL

    def as_json(self) -> dict[str, Any]:
        """The parameter as the catalogue's JSON shows it."""
        return {
            "key": self.key,
            "name": self.name,
            "help": self.help,
            "unit": self.unit,
            "low": self.low,
            "high": self.high,
            "default": numbers(str(self.default)) if self.kind is Kind.NUMBERS else self.default,
            "kind": self.kind.value,
            "scale": self.scale.value,
            "moves": self.moves.value,
            "depth_unit": self.depth_unit,
            "depth_limit": self.depth_limit if self.moves is not Moves.NO else 0,
            "choices": [{"value": c.value, "name": c.name} for c in self.choices],
            "most": self.most if self.kind is Kind.NUMBERS else 0,
            "of": self.of,
            "needed": self.needed,
            "display": self.display.value,
            "two_sided": self.two_sided,
            "seeded": self.seeded,
            "gentle_depth": self.gentle_depth if self.moves is not Moves.NO else 0,
            "off": self.off,
            "most_beats": LONGEST_BEATS if self.kind is Kind.TIME else 0.0,
            "most_hold": LONGEST_HOLD if self.kind is Kind.TIME else 0.0,
            "when": None if self.when is None else {"key": self.when[0], "is": list(self.when[1])},
        }


def seven_bit(
    key: str, name: str, help: str, default: int, group: str, display: Display = Display.UNIT
) -> Parameter:
    """A whole number from 0 to 127, as keys and velocities are counted (MIDI 1.0)."""
    return Parameter(
        key,
        name,
        help,
        low=0,
        high=127,
        default=default,
        kind=Kind.INTEGER,
        display=display,
        group=group,
    )


def key_number(key: str, name: str, help: str, default: int, group: str = "") -> Parameter:
    """A MIDI key number, which the screen writes as the name of the note."""
    return seven_bit(key, name, help, default, group, Display.NOTE)


def key_velocity(key: str, name: str, help: str, default: int, group: str = "") -> Parameter:
    """A MIDI velocity."""
    return seven_bit(key, name, help, default, group, Display.VELOCITY)
