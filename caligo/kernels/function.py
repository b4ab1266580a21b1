"""What kernels and device functions have in common: a Python function, and how to compile it.

Numba takes most of a second to import, so nothing here imports it: it is there once a kernel is
called, compiled or looked up, and a command that only reads a document never waits for it.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import update_wrapper
from threading import RLock
from typing import Any, Generic, TypeVar

Dispatcher = TypeVar("Dispatcher")


class CompiledFunction(Generic[Dispatcher]):
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
        self._dispatcher: Dispatcher | None = None

    @property
    def dispatcher(self) -> Dispatcher:
        """What numba calls through: one, whichever thread asks first."""
        if self._dispatcher is None:
            with self._making:
                if self._dispatcher is None:
                    self._dispatcher = self._make_dispatcher()
        return self._dispatcher

    def _make_dispatcher(self) -> Dispatcher:
        raise NotImplementedError
