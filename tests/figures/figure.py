"""A figure: what is measured, what is wanted, and how it is measured."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Figure:
    """A measurement at its awkward settings.

    Attributes
    ----------
    key
        What the command calls it.
    most
        The greatest that is wanted.
    worst
        Measures it: the greatest over all settings.
    """

    key: str
    what: str
    most: float
    unit: str
    worst: Callable[[], float]
