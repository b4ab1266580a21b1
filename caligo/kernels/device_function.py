"""Device functions: compiled into the kernels that call them, and into nothing else.

Numba compiles a function that another one calls as if Python called it too: with a wrapper for
Python, one for C, and machine code of its own, which nobody ever runs. A device function ends as
LLVM code, which is optimized where it is linked in.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property
from typing import Any

from numba.core import compiler
from numba.core.codegen import JITCodeLibrary
from numba.core.compiler_lock import global_compiler_lock
from numba.core.dispatcher import _FunctionCompiler  # type: ignore[attr-defined]
from numba.core.registry import CPUDispatcher
from numba.core.types import unliteral  # type: ignore[attr-defined]
from numba.core.typing import make_concrete_template


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


class DeviceFunction(CPUDispatcher):
    """A function that kernels call, compiled for whatever types they hand it.

    Parameters
    ----------
    function : callable
    options : dict
        Numba's options.
    """

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

    @cached_property
    def called(self) -> Any:
        """The function as examples and tests call it, compiled for whatever it is given."""
        return CPUDispatcher(self.py_func, targetoptions=self.targetoptions)

    def _compile_for_args(self, *args: Any, **kws: Any) -> Any:
        raise TypeError(f"{self.py_func.__qualname__} is a device function: only kernels call it")
