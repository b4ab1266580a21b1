"""Device functions: compiled into the kernels that call them, and into nothing else."""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING, Any

from caligo.kernels.function import CompiledFunction

if TYPE_CHECKING:
    from caligo.kernels.dispatchers import DeviceDispatcher


class DeviceFunction(CompiledFunction["DeviceDispatcher"]):
    """A function that kernels call, compiled for whatever types they hand it.

    Parameters
    ----------
    function : callable
    options : dict
        Numba's options.
    """

    def __call__(self, *args: Any) -> Any:
        """Refuse: it has no machine code of its own."""
        raise TypeError(f"{self.py_func.__qualname__} is a device function: only kernels call it")

    def _make_dispatcher(self) -> DeviceDispatcher:
        from caligo.kernels.dispatchers import DeviceDispatcher

        return DeviceDispatcher(self.py_func, self.targetoptions)

    @property
    def _numba_type_(self) -> Any:
        """What numba takes it for."""
        return self.dispatcher._numba_type_

    @cached_property
    def called(self) -> Any:
        """The function as examples and tests call it, compiled for whatever it is given."""
        from caligo.kernels.dispatchers import TrialDispatcher
        from caligo.kernels.fingerprint import fingerprint

        def key(given: Any, codegen: Any) -> str:
            return fingerprint(self.py_func, self.targetoptions, given, codegen)

        return TrialDispatcher(self.py_func, self.targetoptions, key)
