"""What every modulator is: a function from (document, note, time) to a value."""

from __future__ import annotations

from fractions import Fraction
from typing import ClassVar, Protocol

from caligo.document.sound import Modulator as ModulatorPart
from caligo.document.sound import Sound
from caligo.movement.chance import derive, text_seed
from caligo.movement.cycles import Cycles
from caligo.movement.moments import Moments
from caligo.movement.notes import Floats
from caligo.movement.setting import Setting
from caligo.movement.trajectory import Trajectory

NO_TURN, RUNS_ONCE = "it has no cycle", "it runs once"
"""Why some modulators never come round, without keeping others from it."""


class Surroundings(Protocol):
    """What a modulator asks the sound's movement for; see `DeclaredSurroundings`."""

    @property
    def setting(self) -> Setting:
        """The sound's seed, and the score with its tempo."""

    @property
    def sound(self) -> Sound:
        """The document."""

    def trajectory(self, path: str) -> Trajectory:
        """The trajectory of the parameter at an address."""

    def cycles(self, period: str, *, paced: bool = True) -> Cycles:
        """The cycles of the period at an address."""


class Modulator:
    """A source of movement. Subclasses give `values`; nothing is remembered between calls.

    Its own numbers and times are trajectories, so that other modulators can move them.

    Attributes
    ----------
    bipolar
        Whether the values lie in [-1, 1]; otherwise they lie in [0, 1].
    always_per_note
        Whether the modulator only makes sense for each note on its own.
    uses_length
        Whether the values depend on how long the score is, when it is one for the whole sound.
    """

    bipolar: ClassVar[bool] = True
    always_per_note: ClassVar[bool] = False
    uses_length: ClassVar[bool] = False

    def __init__(self, part: ModulatorPart, movement: Surroundings) -> None:
        self.part = part
        self.movement = movement
        self.setting = movement.setting
        self.seed = derive(self.setting.seed, derive(part.seed, text_seed(part.id)))
        self._resting: dict[str, Floats] = {}

    @property
    def per_note(self) -> bool:
        """Whether each note has values of its own."""
        return self.always_per_note or self.part.scope == "note"

    @property
    def per_target(self) -> bool:
        """Whether each parameter that it moves has values of its own."""
        return False

    def towards(self, target: str) -> Modulator:
        """The modulator as the parameter at an address sees it; see `per_target`."""
        return self

    def trajectory(self, key: str) -> Trajectory:
        """One of the modulator's own parameters over time."""
        return self.movement.trajectory(f"{self.part.id}.{key}")

    def fraction(self, moments: Moments, key: str) -> Floats:
        """A percentage of it as a fraction, ``[notes, times]`` or as in `Trajectory.compact`."""
        trajectory = self.trajectory(key)
        if trajectory.moved:
            return trajectory.compact(moments) / 100.0
        found = self._resting.get(key)
        if found is None:
            found = self._resting[key] = trajectory.compact(moments) / 100.0
        return found

    def values(self, moments: Moments) -> Floats:
        """The modulator's values ``[notes, times]`` for the moments' notes."""
        raise NotImplementedError

    def change(self, at: float) -> None:
        """A number that the values depend on is edited while listening, from a moment on."""

    @classmethod
    def turn(cls, part: ModulatorPart) -> Fraction | str:
        """How many of its periods pass until it comes round, or why it never does."""
        return NO_TURN

    @classmethod
    def layers(cls, part: ModulatorPart) -> set[str]:
        """The layers whose notes and envelopes the values depend on; it sees no others."""
        return set()

    @classmethod
    def lanes(cls, part: ModulatorPart) -> set[int]:
        """The controllers of the score whose lanes the values depend on; it sees no others."""
        return set()
