"""A modulator sees what it declares: else its stems would be kept by less than they depend on."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from caligo.document import Score
from caligo.document.sound import Modulator as ModulatorPart
from caligo.modulators.follower import Follower
from caligo.modulators.wheel import Wheel
from caligo.movement.declared import DeclaredSurroundings, UndeclaredInput
from caligo.movement.modulator import Modulator
from caligo.movement.moments import Moments
from caligo.movement.movement import Movement
from caligo.movement.notes import Floats, whole
from tests.core.builders import one_note, plain_sound


class ForgetfulWheel(Wheel):
    """A wheel that declares no lane."""

    @classmethod
    def lanes(cls, part: ModulatorPart) -> set[int]:
        """None of those that it reads."""
        return set()


class ForgetfulFollower(Follower):
    """A follower that declares no layer."""

    @classmethod
    def layers(cls, part: ModulatorPart) -> set[str]:
        """None of those that it follows."""
        return set()


class Eavesdropper(Modulator):
    """It reads the level of a layer that it does not declare."""

    def values(self, moments: Moments) -> Floats:
        """The layer's level."""
        return self.movement.trajectory("ground.level").values(moments)


def values_of(made_of: type[Modulator], score: Score, **modulator: Any) -> Floats:
    """The values of a modulator of some class over four seconds."""
    modulators = [{"id": "m", "name": "M", **modulator}]
    movement = Movement(plain_sound(modulators=modulators), score)
    part = movement.sound.modulators[0]
    times = np.linspace(0.0, 4.0, 9)
    made = made_of(part, DeclaredSurroundings(made_of, part, movement))
    return made.values(Moments(times, whole(4.0), whole(4.0)))


def test_a_lane_that_is_not_declared_is_not_there() -> None:
    points = [{"time": 0.0, "value": 0.0}, {"time": 4.0, "value": 1.0}]
    wheel = {"id": "wheel", "controller": 1, "points": points}
    score = Score.model_validate({"length": 4.0, "lanes": [wheel]})
    assert np.ptp(values_of(Wheel, score, kind="wheel")) > 0.5
    assert np.ptp(values_of(ForgetfulWheel, score, kind="wheel")) == 0.0


def test_a_layer_that_is_not_declared_is_not_there() -> None:
    params = {"follows": "layer", "layer": "ground"}
    score = one_note(length=2.0, total=4.0)
    assert np.ptp(values_of(Follower, score, kind="follower", params=params)) > 0.5
    assert np.ptp(values_of(ForgetfulFollower, score, kind="follower", params=params)) == 0.0


def test_a_parameter_of_a_layer_that_is_not_declared_is_refused() -> None:
    with pytest.raises(UndeclaredInput, match=r"ground\.level.*`layers`"):
        values_of(Eavesdropper, one_note(), kind="lfo")
