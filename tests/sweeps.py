"""Sweeps: `make trials` takes every combination, `make test` each value at least once."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import product
from typing import Any

import pytest


def spread(*axes: Sequence[Any]) -> list[Any]:
    """Combinations for `pytest.mark.parametrize`.

    Parameters
    ----------
    *axes : sequence
        Values of each parameter; a tuple stands for several parameters.

    Returns
    -------
    list
        All combinations; those off the diagonal are marked as `wide`.

    Examples
    --------
    >>> [(p.values, len(p.marks)) for p in spread("ab", (1, 2))]
    [(('a', 1), 0), (('a', 2), 1), (('b', 1), 1), (('b', 2), 0)]
    """
    longest = max(len(axis) for axis in axes)
    diagonal = {tuple(i % len(axis) for axis in axes) for i in range(longest)}
    found = []
    for places in product(*(range(len(axis)) for axis in axes)):
        values: list[Any] = []
        for axis, i in zip(axes, places, strict=True):
            values += axis[i] if isinstance(axis[i], tuple) else [axis[i]]
        marks = () if places in diagonal else (pytest.mark.wide,)
        found.append(pytest.param(*values, marks=marks))
    return found


def widest(values: Sequence[Any], few: int) -> list[Any]:
    """Values of one parameter, of which `make test` takes the first `few`."""
    return [
        pytest.param(
            *(value if isinstance(value, tuple) else [value]),
            marks=() if i < few else (pytest.mark.wide,),
        )
        for i, value in enumerate(values)
    ]
