"""A kernel: what Python calls, compiled for the types that it declares."""

from __future__ import annotations

import logging
from collections.abc import Callable
from typing import Any

from numba.core import event, types
from numba.core.compiler_lock import global_compiler_lock
from numba.core.registry import CPUDispatcher

from caligo.kernels import cache
from caligo.kernels.device_function import DeviceFunction
from caligo.kernels.fingerprint import fingerprint

logger = logging.getLogger(__name__)

Signature = tuple[types.Type, ...]


class KernelTypeError(TypeError):
    """A kernel was called with arguments of other types than it declares."""


class Kernel(CPUDispatcher):
    """A compiled function of one signature.

    It is compiled, or read from the cache, when it is first called. Called by another kernel, it is
    a device function.

    Parameters
    ----------
    function : callable
    signature : tuple of numba types
        Types of the arguments.
    options : dict
        Numba's options.
    """

    declared: list[Kernel] = []
    """All kernels of the modules that have been imported."""
    compile_elsewhere: Callable[[Kernel], None] | None = None
    """Compiles a kernel in another process, and returns once it is in the cache. Set where a
    compilation would keep Python from what plays."""

    def __init__(
        self, function: Callable[..., Any], signature: Signature, options: dict[str, Any]
    ) -> None:
        super().__init__(function, targetoptions=options)
        self.name = f"{function.__module__}.{function.__qualname__}"
        self.signature = signature
        self.device = DeviceFunction(function, options)
        self._key = ""
        self.declared.append(self)

    def key(self) -> str:
        """Hash of all that its machine code depends on."""
        if not self._key:
            codegen = self.targetctx.codegen()
            self._key = fingerprint(self.py_func, self.targetoptions, self.signature, codegen)
        return self._key

    def is_kept(self) -> bool:
        """Whether its machine code is in the cache, or loaded."""
        return bool(self.overloads) or cache.has(self.key())

    def make_ready(self) -> None:
        """Load its machine code from the cache, or compile it and keep it there."""
        if self.load():
            return
        if Kernel.compile_elsewhere is not None:
            Kernel.compile_elsewhere(self)
            if self.load():
                return
        with global_compiler_lock:
            if not self.overloads:
                self._compile()

    def load(self) -> bool:
        """Load its machine code from the cache; False if it is not there."""
        with global_compiler_lock:
            if self.overloads:
                return True
            self.targetctx.refresh()
            result = cache.load(self.key(), self.targetctx)
            if result is None:
                return False
            self.targetctx.insert_user_function(result.entry_point, result.fndesc, [result.library])
            self._take(result)
            return True

    def _compile(self) -> None:
        with event.trigger_event("numba:compile", data={"dispatcher": self}):
            result = self._compiler.compile(self.signature, None)
        # Of device functions only their code is linked in.
        for environment in result._find_referenced_environments():
            result.library.codegen.set_env(environment.env_name, environment)
        self._take(result)
        try:
            cache.save(self.key(), result)
        except OSError as error:
            logger.warning("%s is compiled but not kept: %s", self.name, error)

    def _take(self, result: Any) -> None:
        self.add_overload(result)
        self._can_compile = False

    def _compile_for_args(self, *args: Any, **kws: Any) -> Any:
        """What numba's dispatcher calls when it finds nothing compiled."""
        self.make_ready()
        given = tuple(self.typeof_pyval(argument) for argument in args)
        for one, wanted in zip(given, self.signature, strict=True):
            scalar = isinstance(wanted, types.Number | types.Boolean)
            if one != wanted and not (scalar and self.typingctx.can_convert(one, wanted)):
                self._explain_matching_error(*args)
        return self.overloads[self.signature].entry_point

    def _explain_matching_error(self, *args: Any, **kws: Any) -> None:
        """What numba's dispatcher calls when no declared types fit."""
        given = ", ".join(str(self.typeof_pyval(argument)) for argument in args)
        wanted = ", ".join(str(one) for one in self.signature)
        raise KernelTypeError(f"{self.name} takes ({wanted}), not ({given})")

    def get_call_template(self, args: Any, kws: Any) -> Any:
        """See numba's dispatcher: another kernel calls it."""
        return self.device.get_call_template(args, kws)

    def get_overload(self, sig: Any) -> Any:
        """See numba's dispatcher: another kernel calls it."""
        return self.device.get_overload(sig)
