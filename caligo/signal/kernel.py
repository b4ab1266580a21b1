"""How kernels are compiled: once, at set-up, and free of the interpreter's lock.

A division by zero gives what IEEE 754 says, as in array code: to raise an exception for it, every
loop with a division would have to stop at each sample, and could not become vector instructions.
Rows and stretches of arrays are taken as slices ahead of an inner loop, for the same reason: an
index that is added up could be negative, and would have to be counted from the end.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

from numba import njit

Function = TypeVar("Function", bound=Callable[..., Any])

CONTRACT = {"contract"}
"""Lets multiplications and additions fuse; sums keep their order, so results do not vary."""


def kernel_with(**options: Any) -> Callable[[Function], Function]:
    """A decorator like `kernel` that takes more of numba's options, such as ``inline``."""

    def compiled(function: Function) -> Function:
        made: Function = njit(cache=True, nogil=True, error_model="numpy", **options)(function)
        return made

    return compiled


def kernel(function: Function) -> Function:
    """Compile a function; what it says of its types is for readers, numba finds its own."""
    return kernel_with()(function)
