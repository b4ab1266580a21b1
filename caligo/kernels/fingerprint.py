"""What a kernel's machine code depends on, as a hash.

Numba freezes whatever a function refers to when it compiles it: other functions, constants, tables.
So the hash is of the function's byte code and, in turn, of all that it names; of modules that teach
numba something (vectors, intrinsics) it is of the whole file. An edited function changes the hash
of every kernel that it is compiled into, in whatever file they lie; comments and docstrings do not.
"""

from __future__ import annotations

import builtins
import hashlib
import inspect
import sys
from functools import cache
from importlib.util import find_spec
from pathlib import Path
from types import CodeType, FunctionType, ModuleType
from typing import Any

import llvmlite
import numba
import numpy as np

from caligo.kernels.function import CompiledFunction
from caligo.kernels.instruction import Instruction

VERSIONS = (sys.version_info[:2], numba.__version__, llvmlite.__version__, np.__version__)
OWN = __name__.partition(".")[0]


class Unhashable(TypeError):
    """A kernel refers to something that no hash can be made of."""


class _Closure:
    """Gathers all that a function refers to, each thing once."""

    def __init__(self) -> None:
        self._hash = hashlib.sha256()
        self._seen: set[int] = set()

    def add(self, *parts: Any) -> None:
        """Add plain values."""
        self._hash.update(repr(_ordered(parts)).encode())

    def hexdigest(self) -> str:
        return self._hash.hexdigest()

    def function(self, function: Any) -> None:
        """Add a function, and what it names."""
        if id(function) in self._seen:
            return
        self._seen.add(id(function))
        self.add("function", function.__module__, function.__qualname__, function.__defaults__)
        self.code(function.__code__, function.__globals__)
        for name, cell in zip(
            function.__code__.co_freevars, function.__closure__ or (), strict=True
        ):
            self.value(name, cell.cell_contents)

    def code(self, code: CodeType, names: dict[str, Any]) -> None:
        """Add byte code with its constants, less the docstring, and what it names."""
        self.add(code.co_code.hex(), code.co_varnames, code.co_argcount)
        documented = bool(code.co_flags & inspect.CO_NEWLOCALS) and code.co_consts[:1]
        for constant in code.co_consts[1 if documented and type(documented[0]) is str else 0 :]:
            if isinstance(constant, CodeType):
                self.code(constant, names)
            else:
                self.add(constant)
        for name in code.co_names:
            if name in names:
                self.value(name, names[name])
            else:
                self.add(name, hasattr(builtins, name))

    def value(self, name: str, value: Any) -> None:
        """Add what a name stands for."""
        self.add(name, type(value).__name__)
        match value:
            case CompiledFunction():
                self.add(value.targetoptions)
                self.function(value.py_func)
            case Instruction():
                self.add(value.name, _file_hash(_source(value.module)))
            case FunctionType() if value.__module__.startswith(OWN):
                self.function(value)
            case ModuleType() if value.__name__.startswith(OWN):
                self.add(_file_hash(str(value.__file__)))
            case ModuleType():
                self.add(value.__name__)
            case np.ndarray():
                self.add(value.dtype.str, value.shape, value.tobytes().hex())
            case bool() | int() | float() | complex() | str() | bytes() | None | np.generic():
                self.add(value)
            case frozenset():
                self.add(value)
            case tuple() | list():
                for number, one in enumerate(value):
                    self.value(str(number), one)
            case _:
                self._other(name, value)

    def _other(self, name: str, value: Any) -> None:
        """Add a type, or something that numba has been taught: its module's file."""
        module = getattr(value, "__module__", None) or type(value).__module__
        if module.startswith(OWN):
            self.add(_file_hash(str(sys.modules[module].__file__)))
        elif isinstance(value, type) or module.partition(".")[0] in ("numba", "numpy", "builtins"):
            self.add(module, getattr(value, "__name__", str(value)))
        else:
            raise Unhashable(f"{name} is a {type(value)}, which a kernel cannot depend on")


def _ordered(value: Any) -> Any:
    """Plain values in an order that is the same in every process: sets have none of their own."""
    match value:
        case set() | frozenset():
            return sorted(map(repr, value))
        case dict():
            return sorted((key, _ordered(one)) for key, one in value.items())
        case tuple() | list():
            return [_ordered(one) for one in value]
        case _:
            return value


def _source(module: str) -> str:
    """The file of a module, which need not be imported."""
    found = find_spec(module)
    return str(found and found.origin)


@cache
def _file_hash(path: str) -> str:
    return hashlib.sha256(Path(path).read_bytes()).hexdigest()


def fingerprint(function: Any, options: dict[str, Any], signature: Any, codegen: Any) -> str:
    """A hash of all that a kernel's machine code depends on.

    Parameters
    ----------
    function : function
        As Python has it.
    options : dict
        Numba's options.
    signature : tuple of numba types
        Types of the arguments.
    codegen : numba.core.codegen.JITCPUCodegen
        Knows the processor.

    Returns
    -------
    str
        Hexadecimal digits.

    Raises
    ------
    Unhashable
        The function refers to something whose value is not known from here.
    """
    found = _Closure()
    found.add(VERSIONS, codegen.magic_tuple(), str(signature), options)
    found.function(function)
    return found.hexdigest()
