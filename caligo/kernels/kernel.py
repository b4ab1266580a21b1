"""A kernel: what Python calls, compiled for the types that it declares."""

from __future__ import annotations

import logging
from collections.abc import Callable
from functools import cached_property
from typing import TYPE_CHECKING, Any

from caligo.kernels import cache
from caligo.kernels.device_function import DeviceFunction
from caligo.kernels.function import CompiledFunction
from caligo.kernels.signature import Declared

if TYPE_CHECKING:
    from caligo.kernels.dispatchers import KernelDispatcher

logger = logging.getLogger(__name__)


class Kernel(CompiledFunction["KernelDispatcher"]):
    """A compiled function of one signature.

    It is compiled, or read from the cache, when it is first called. Called by another kernel, it is
    a device function.

    Parameters
    ----------
    function : callable
    signature : str, or tuple of str and TupleType
        Types of the arguments; see `caligo.kernels.kernel`.
    options : dict
        Numba's options.
    """

    declared: list[Kernel] = []
    """All kernels of the modules that have been imported."""
    compile_elsewhere: Callable[[Kernel], None] | None = None
    """Compiles a kernel in another process, and returns once it is in the cache. Set where a
    compilation would keep Python from what plays."""

    def __init__(
        self, function: Callable[..., Any], signature: Declared, options: dict[str, Any]
    ) -> None:
        super().__init__(function, options)
        self.name = f"{function.__module__}.{function.__qualname__}"
        self.signature = signature
        self.device = DeviceFunction(function, options)
        self.declared.append(self)

    def __call__(self, *args: Any) -> Any:
        """Run its machine code, which is made ready at the first call."""
        return self.dispatcher(*args)

    def _make_dispatcher(self) -> KernelDispatcher:
        from caligo.kernels.dispatchers import KernelDispatcher

        return KernelDispatcher(self.py_func, self.targetoptions, self.signature, self.make_ready)

    @property
    def _numba_type_(self) -> Any:
        """What numba takes it for where another kernel calls it."""
        return self.device._numba_type_

    @cached_property
    def key(self) -> str:
        """Hash of all that its machine code depends on."""
        from caligo.kernels.fingerprint import fingerprint

        dispatcher = self.dispatcher
        codegen = dispatcher.targetctx.codegen()
        return fingerprint(self.py_func, self.targetoptions, dispatcher.types, codegen)

    @property
    def is_loaded(self) -> bool:
        """Whether its machine code is in this process."""
        return self._dispatcher is not None and bool(self._dispatcher.overloads)

    def is_kept(self) -> bool:
        """Whether its machine code is in the cache, or loaded."""
        return self.is_loaded or cache.has(self.key)

    def make_ready(self) -> None:
        """Load its machine code from the cache, or compile it and keep it there."""
        if self.load():
            return
        if Kernel.compile_elsewhere is not None:
            Kernel.compile_elsewhere(self)
            if self.load():
                return
        self._compile()

    def load(self) -> bool:
        """Load its machine code from the cache; False if it is not there."""
        return self.dispatcher.load(self.key)

    def _compile(self) -> None:
        result = self.dispatcher.compile_declared()
        if result is None:
            return
        try:
            cache.save(self.key, result)
        except OSError as error:
            logger.warning("%s is compiled but not kept: %s", self.name, error)
