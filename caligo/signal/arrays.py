"""What array methods do in kernels, as loops.

A loop becomes vector instructions. An array that is assigned to a slice does not always, and numba
compiles a message for the case that the shapes differ, which takes it seconds.
"""

from __future__ import annotations

import numpy as np

from caligo.kernels import device


@device
def copy(given: np.ndarray, out: np.ndarray) -> None:
    """Copy the first of `given` into all of `out` ``[samples]``."""
    for n in range(len(out)):
        out[n] = given[n]


@device
def largest(values: np.ndarray) -> float:
    """The largest of `values` ``[rows, columns]``, which are not negative."""
    found = 0.0
    for row in range(values.shape[0]):
        for n in range(values.shape[1]):
            found = max(found, values[row, n])
    return found


@device
def are_equal(one: np.ndarray, other: np.ndarray) -> bool:
    """Whether `one` and `other` ``[samples]`` are the same."""
    for n in range(len(one)):  # noqa: SIM110 (numba has no generator expressions)
        if one[n] != other[n]:
            return False
    return True


@device
def is_zero(values: np.ndarray) -> bool:
    """Whether all of `values` ``[...]`` are zero."""
    for value in values.flat:  # noqa: SIM110
        if value != 0.0:
            return False
    return True
