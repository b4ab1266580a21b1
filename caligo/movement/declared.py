"""A sound's movement as one modulator may see it: what it declares, and nothing else."""

from __future__ import annotations

from caligo.document.sound import Modulator as ModulatorPart
from caligo.movement.cycles import Cycles
from caligo.movement.modulator import Modulator, Surroundings
from caligo.movement.trajectory import Trajectory


class UndeclaredInput(RuntimeError):
    """A modulator reads a layer or another modulator that it does not declare."""


class DeclaredSurroundings:
    """The surroundings of a modulator without the lanes and layers that it does not declare.

    Stems are kept by what modulators declare: one that read anything else would leave them stale.

    Parameters
    ----------
    kind
        The modulator's class, which declares `lanes` and `layers`.
    part
        The modulator in the document.
    movement
        The whole.
    """

    def __init__(self, kind: type[Modulator], part: ModulatorPart, movement: Surroundings) -> None:
        layers = kind.layers(part)
        self.setting = movement.setting.with_lanes(kind.lanes(part))
        self.sound = movement.sound.model_copy(
            update={"layers": [x for x in movement.sound.layers if x.id in layers]}
        )
        self._kind = kind.__name__
        self._readable = layers | {part.id, "sound"}
        self._movement = movement

    def trajectory(self, path: str) -> Trajectory:
        """The trajectory of the parameter at an address.

        Raises
        ------
        UndeclaredInput
            If it belongs to something that the modulator does not declare.
        """
        owner = path.partition(".")[0]
        if owner not in self._readable:
            raise UndeclaredInput(f"{self._kind} reads {path}: name {owner} in its `layers`")
        return self._movement.trajectory(path)

    def cycles(self, period: str, *, paced: bool = True) -> Cycles:
        """The cycles of the period at an address."""
        return self._movement.cycles(period, paced=paced)
