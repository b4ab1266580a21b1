"""Device functions as tests call them: in a kernel that does nothing else."""

from __future__ import annotations

from collections.abc import Callable
from functools import cache
from typing import Any

from numba import njit


@cache
def called(function: Callable[..., Any]) -> Any:
    """A device function as Python can call it, compiled for whatever it is given."""

    @njit(error_model="numpy")
    def caller(*arguments: Any) -> Any:
        return function(*arguments)

    return caller
