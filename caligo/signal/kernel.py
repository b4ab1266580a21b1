"""How kernels are compiled: once, at set-up, and free of the interpreter's lock.

A division by zero gives what IEEE 754 says, as in array code: to raise an exception for it, every
loop with a division would have to stop at each sample, and could not become vector instructions.
Rows and stretches of arrays are taken as slices ahead of an inner loop, for the same reason: an
index that is added up could be negative, and would have to be counted from the end.

A kernel makes no arrays, unless it says so: numba then need not count who holds which. Counts are
kept in step between cores, so that each slice would cost as much as a tick of it takes to read.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

from numba import njit

from caligo.signal.kernel_cache import SharedCache

Function = TypeVar("Function", bound=Callable[..., Any])

CONTRACT = {"contract"}
"""Lets multiplications and additions fuse; sums keep their order, so results do not vary."""


def kernel_with(
    *, allocates: bool = False, fastmath: set[str] | None = None, inline: str = "never"
) -> Callable[[Function], Function]:
    """A decorator like `kernel`.

    Parameters
    ----------
    allocates
        Whether it makes arrays, or gives one back: numba refuses to compile one that does not say.
    fastmath, inline
        See numba's.
    """

    def compiled(function: Function) -> Function:
        options: dict[str, Any] = {
            "fastmath": fastmath or False,
            "inline": inline,
            "_nrt": allocates,
        }
        made = njit(nogil=True, error_model="numpy", **options)(function)
        made._cache = SharedCache(function)  # type: ignore[no-untyped-call]
        found: Function = made
        return found

    return compiled


def kernel(function: Function) -> Function:
    """Compile a function; what it says of its types is for readers, numba finds its own."""
    return kernel_with()(function)
