"""The follower: the level of a recording or of a layer, as a modulator."""

from __future__ import annotations

from fractions import Fraction
from functools import cached_property

import numpy as np

from caligo.catalogue import Choice, Kind, Module, Moves, Parameter, register
from caligo.document.sound import Modulator as ModulatorPart
from caligo.material.store import current
from caligo.movement.following import LayerLevel, read_level, recording_level
from caligo.movement.modulator import NO_TURN, Modulator
from caligo.movement.moments import Moments
from caligo.movement.notes import Floats


def _decibels(key: str, name: str, help: str, default: float) -> Parameter:
    return Parameter(
        key,
        name,
        help,
        unit="dB",
        low=-60.0,
        high=12.0,
        default=default,
        moves=Moves.PER_NOTE,
        group="Range",
    )


def _seconds(key: str, name: str, help: str, default: float) -> Parameter:
    return Parameter(
        key,
        name,
        help,
        unit="s",
        high=30.0,
        default=default,
        when=("follows", ("recording",)),
        group="Times",
    )


@register(
    Module(
        family="modulator",
        kind="follower",
        name="Follower",
        help="The level of a recording, round and round, or of a layer's notes.",
        category="Controls",
        parameters=(
            Parameter(
                "follows",
                "Follows",
                "What it listens to.",
                default="recording",
                kind=Kind.CHOICE,
                choices=(Choice("recording", "A recording"), Choice("layer", "A layer")),
            ),
            Parameter(
                "recording",
                "Recording",
                "Its level is followed; 0 dB is its loudest moment.",
                default="",
                kind=Kind.REFERENCE,
                of="recording",
                when=("follows", ("recording",)),
            ),
            Parameter(
                "layer",
                "Layer",
                "The level that its notes and envelope make; 0 dB is one full note.",
                default="",
                kind=Kind.REFERENCE,
                of="layer",
                when=("follows", ("layer",)),
            ),
            _decibels("quiet", "Nothing at", "The level at which it gives nothing.", -40.0),
            _decibels("loud", "All at", "The level at which it gives all.", 0.0),
            _seconds("rise", "Rise", "How quickly it follows upwards.", 0.1),
            _seconds("fall", "Fall", "How quickly it follows downwards.", 0.8),
        ),
    )
)
class Follower(Modulator):
    """A level, from 0 to 1."""

    bipolar = False

    @classmethod
    def layers(cls, part: ModulatorPart) -> set[str]:
        """See `Modulator.layers`."""
        return {part.text("layer")} - {""} if part.text("follows") == "layer" else set()

    @cached_property
    def _recording_level(self) -> Floats | None:
        found = current().recording(self.part.text("recording"))
        if found is None:
            return None
        return recording_level(found, self.part.number("rise"), self.part.number("fall"))

    @cached_property
    def _layer_level(self) -> LayerLevel | None:
        sound = self.movement.sound
        layer = next((x for x in sound.layers if x.id == self.part.text("layer")), None)
        return None if layer is None else LayerLevel(sound, layer, self.movement)

    @classmethod
    def turn(cls, part: ModulatorPart) -> Fraction | str:
        """See `Modulator.turn`."""
        if part.text("follows") == "layer":
            return NO_TURN
        return "it follows a recording"

    def values(self, moments: Moments) -> Floats:
        """See `Modulator.values`; in [0, 1]."""
        level = self._level(moments)
        if level is None:
            return np.zeros((len(moments.notes), len(moments.times)))
        quiet = self.trajectory("quiet").compact(moments)
        loud = self.trajectory("loud").compact(moments)
        found: Floats = np.clip((level - quiet) / np.maximum(loud - quiet, 1.0), 0.0, 1.0)
        return found

    def _level(self, moments: Moments) -> Floats | None:
        """The level in dB ``[notes, times]``, if there is anything to follow."""
        if self.part.text("follows") == "layer":
            followed = self._layer_level
            if followed is None:
                return None
            row = followed.values(moments.times)[None, :]
            return np.repeat(row, len(moments.notes), axis=0)
        heard = self._recording_level
        if heard is None:
            return None
        return read_level(heard, moments.times[None, :] - moments.notes.start[:, None])
