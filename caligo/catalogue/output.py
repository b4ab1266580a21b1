"""The level behind a filter or effect: each has it, and none declares it."""

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
    group="Output",
)


def with_output(module: Module) -> Module:
    """A filter's or effect's module with the parameter that all of them share."""
    if module.parameter("output"):
        return module
    moves = Moves.PER_NOTE if module.family == "filter" else Moves.SHARED
    return replace(module, parameters=(*module.parameters, replace(OUTPUT, moves=moves)))
