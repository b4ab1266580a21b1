"""What kernels and device functions have in common: a Python function, and how to compile it."""

from __future__ import annotations

from collections.abc import Callable
from functools import update_wrapper
from threading import RLock
from typing import Any


class CompiledFunction:
    """A Python function that numba compiles.

    Parameters
    ----------
    function : callable
    options : dict
        Numba's options. Numba reads both attributes where the function is inlined.
    """

    _making = RLock()

    def __init__(self, function: Callable[..., Any], options: dict[str, Any]) -> None:
        update_wrapper(self, function)  # type: ignore[arg-type]
        self.py_func = function
        self.targetoptions = options
