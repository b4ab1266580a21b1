"""The decorators of kernels and device functions, and the options they share.

A division by zero gives what IEEE 754 says, as in array code: to raise an exception for it, every
loop with a division would have to stop at each sample, and could not become vector instructions.
Rows and stretches of arrays are taken as slices ahead of an inner loop, for the same reason: an
index that is added up could be negative, and would have to be counted from the end.

A kernel makes no arrays, unless it says so: numba then need not count references to slices. Counts
are kept in step between cores, so that each slice would cost as much as a tick of it takes to read.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar, cast, overload

from caligo.kernels.device_function import DeviceFunction
from caligo.kernels.kernel import Kernel
from caligo.kernels.signature import Declared

Function = TypeVar("Function", bound=Callable[..., Any])

CONTRACT = {"contract"}
"""Lets multiplications and additions fuse; sums keep their order, so results do not vary."""


def _options(allocates: bool, fastmath: set[str] | None, inline: str) -> dict[str, Any]:
    return {
        "nopython": True,
        "nogil": True,
        "error_model": "numpy",
        "fastmath": fastmath or False,
        "inline": inline,
        "no_cfunc_wrapper": True,
        "_nrt": allocates,
    }


def kernel(
    signature: Declared, *, allocates: bool = False, fastmath: set[str] | None = None
) -> Callable[[Function], Function]:
    """Declare a function that Python calls, compiled for one signature and kept on disk.

    Parameters
    ----------
    signature : str, or tuple of str and TupleType
        Types of the arguments in numba's notation: ``"f4[:, :, ::1], f8[::1], i8"`` is a
        contiguous array of three axes, one of one axis, and an integer. What does not fit it is
        refused with `KernelTypeError` instead of being compiled for. A named tuple's type is
        `TupleType`.
    allocates : bool, optional
        Whether the kernel makes arrays; numba refuses to compile one that does not say so.
    fastmath : set of str, optional
        LLVM's fast-math flags, see `numba.njit`.
    """

    def declared(function: Function) -> Function:
        options = _options(allocates, fastmath, "never")
        return cast(Function, Kernel(function, signature, options))

    return declared


@overload
def device(function: Function) -> Function: ...


@overload
def device(
    *, allocates: bool = False, fastmath: set[str] | None = None, inline: str = "never"
) -> Callable[[Function], Function]: ...


def device(
    function: Function | None = None,
    *,
    allocates: bool = False,
    fastmath: set[str] | None = None,
    inline: str = "never",
) -> Any:
    """Declare a function that only kernels call; it is compiled into each of them.

    Parameters
    ----------
    allocates, fastmath
        See `kernel`.
    inline : {"never", "always"}, optional
        Whether numba inlines it ahead of LLVM, so that it may take functions or give tuples of
        arrays at no cost.
    """

    def declared(function: Function) -> Function:
        return cast(Function, DeviceFunction(function, _options(allocates, fastmath, inline)))

    return declared if function is None else declared(function)
