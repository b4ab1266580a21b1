"""What numba makes of kernels and device functions.

Numba compiles a function that another one calls as if Python called it too: with a wrapper for
Python, one for C, and machine code of its own, which nobody ever runs. A device function ends as
LLVM code, which is optimized where it is linked in.
"""

from __future__ import annotations

from collections.abc import Callable
from importlib import import_module
from typing import Any

from numba.core import compiler, event, types
from numba.core.codegen import JITCodeLibrary
from numba.core.compiler_lock import global_compiler_lock
from numba.core.dispatcher import _FunctionCompiler  # type: ignore[attr-defined]
from numba.core.registry import CPUDispatcher
from numba.core.runtime import rtsys
from numba.core.types import unliteral  # type: ignore[attr-defined]
from numba.core.typing import make_concrete_template

from caligo.kernels import cache
from caligo.kernels.instruction import Instruction
from caligo.kernels.signature import Declared, KernelTypeError, numba_types


def _loaded(dispatcher: CPUDispatcher, key: str) -> Any:
    """Machine code from the cache; None if it is not there."""
    # What numba's own `refresh` does besides is for compiling, and takes a second.
    rtsys.initialize(dispatcher.targetctx)
    result = cache.load(key, dispatcher.targetctx)
    if result is not None:
        dispatcher.targetctx.insert_user_function(
            result.entry_point, result.fndesc, [result.library]
        )
    return result


def _compiled(dispatcher: CPUDispatcher, given: tuple[Any, ...]) -> Any:
    """Machine code for argument types."""
    for module in Instruction.modules:
        import_module(module)
    with event.trigger_event("numba:compile", data={"dispatcher": dispatcher}):
        result = dispatcher._compiler.compile(given, None)
    # Of device functions only their code is linked in.
    for environment in result._find_referenced_environments():
        result.library.codegen.set_env(environment.env_name, environment)
    return result


class KernelDispatcher(CPUDispatcher):
    """Runs a kernel's machine code, and has it made ready at the first call."""

    def __init__(
        self,
        function: Callable[..., Any],
        options: dict[str, Any],
        signature: Declared,
        make_ready: Callable[[], None],
    ) -> None:
        super().__init__(function, targetoptions=options)
        self.types = numba_types(signature)
        self._make_ready = make_ready

    def load(self, key: str) -> bool:
        """Load machine code from the cache; False if it is not there."""
        with global_compiler_lock:
            if self.overloads:
                return True
            result = _loaded(self, key)
            if result is None:
                return False
            self._take(result)
            return True

    def compile_declared(self) -> Any:
        """Compile for the declared types; None if another thread just did."""
        with global_compiler_lock:
            if self.overloads:
                return None
            result = _compiled(self, self.types)
            self._take(result)
            return result

    def _take(self, result: Any) -> None:
        self.add_overload(result)
        self._can_compile = False

    def _compile_for_args(self, *args: Any, **kws: Any) -> Any:
        """What numba's dispatcher calls when it finds nothing compiled."""
        self._make_ready()
        given = tuple(self.typeof_pyval(argument) for argument in args)
        for one, wanted in zip(given, self.types, strict=True):
            scalar = isinstance(wanted, types.Number | types.Boolean)
            if one != wanted and not (scalar and self.typingctx.can_convert(one, wanted)):
                self._explain_matching_error(*args)
        return self.overloads[self.types].entry_point

    def _explain_matching_error(self, *args: Any, **kws: Any) -> None:
        """What numba's dispatcher calls when no declared types fit."""
        given = ", ".join(str(self.typeof_pyval(argument)) for argument in args)
        wanted = ", ".join(str(one) for one in self.types)
        raise KernelTypeError(
            f"{self.py_func.__module__}.{self.py_func.__qualname__} takes ({wanted}), not ({given})"
        )


class _DeviceLibrary(JITCodeLibrary):
    """LLVM code to be linked into kernels; it has no machine code."""

    def _optimize_final_module(self) -> None:
        """Leave it to the kernel that it is linked into."""

    def _finalize_final_module(self) -> None:
        self._finalize_dynamic_globals()
        self._finalized = True


class _DeviceCompiler(_FunctionCompiler):
    """Compiles to LLVM code, without wrappers."""

    def _customize_flags(self, flags: Any) -> Any:
        flags.no_cpython_wrapper = flags.no_cfunc_wrapper = flags.no_compile = True
        return flags

    def _compile_core(self, args: Any, return_type: Any) -> Any:
        flags = compiler.Flags()
        self.targetdescr.options.parse_as_flags(flags, self.targetoptions)
        context = self.targetdescr.target_context
        library = _DeviceLibrary(context.codegen(), self.py_func.__qualname__)
        return compiler.compile_extra(
            self.targetdescr.typing_context,
            context,
            self.py_func,
            args=args,
            return_type=return_type,
            flags=self._customize_flags(flags),
            locals=self.locals,
            library=library,
            pipeline_class=self.pipeline_class,
        )


class DeviceDispatcher(CPUDispatcher):
    """Compiles a device function for whatever types kernels hand it."""

    def __init__(self, function: Callable[..., Any], options: dict[str, Any]) -> None:
        super().__init__(function, targetoptions=options)
        self._compiler = _DeviceCompiler(
            function, self.targetdescr, options, self.locals, compiler.Compiler
        )
        self._keys: dict[Any, object] = {}

    def compile(self, sig: Any) -> object:
        """Compile for argument types; returns what calls to it are looked up by."""
        with global_compiler_lock:
            if sig not in self._keys:
                result = self._compiler.compile(sig, None)
                self.overloads[sig] = result
                key = self._keys[sig] = object()
                self.targetctx.insert_user_function(key, result.fndesc, [result.library])
            return self._keys[sig]

    def get_call_template(self, args: Any, kws: Any) -> Any:
        """See numba's dispatcher. A literal number is a number: LLVM propagates constants."""
        pysig, args = self._compiler.fold_argument_types(args, kws)
        given = tuple(unliteral(argument) for argument in args)
        self.compile(given)
        name = self.py_func.__name__
        template = make_concrete_template(name, name, [self.overloads[given].signature])
        return template, pysig, args, {}

    def get_overload(self, sig: Any) -> object:
        """What numba looks a call of these argument types up by."""
        return self._keys[tuple(unliteral(argument) for argument in sig)]


class TrialDispatcher(CPUDispatcher):
    """A device function as examples and tests call it, kept like a kernel.

    Parameters
    ----------
    function : callable
    options : dict
        Numba's options.
    key : callable
        Gives the hash of what machine code for argument types depends on.
    """

    def __init__(
        self,
        function: Callable[..., Any],
        options: dict[str, Any],
        key: Callable[[Any, Any], str],
    ) -> None:
        super().__init__(function, targetoptions=options)
        self._key = key

    def compile(self, sig: Any) -> Any:
        """Compile for argument types, or load what was compiled."""
        given = tuple(sig)
        with global_compiler_lock:
            if given not in self.overloads:
                key = self._key(given, self.targetctx.codegen())
                result = _loaded(self, key)
                if result is None:
                    result = _compiled(self, given)
                    cache.save(key, result)
                self.add_overload(result)
            return self.overloads[given].entry_point
