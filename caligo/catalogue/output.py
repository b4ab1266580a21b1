"""The level behind an effect: every effect has it, and none declares it."""

from __future__ import annotations

from dataclasses import replace

from caligo.catalogue.module import Module
from caligo.catalogue.parameter import Moves, Parameter, Scale

OUTPUT = Parameter(
    "output",
    "Output",
    "Level of all that comes out of it, the direct signal included.",
    unit="dB",
    low=-36.0,
    high=24.0,
    default=0.0,
    scale=Scale.DECIBEL,
    moves=Moves.SHARED,
    group="Output",
)


def with_output(module: Module) -> Module:
    """An effect's module with the parameter that all effects share."""
    return replace(module, parameters=(*module.parameters, OUTPUT))
