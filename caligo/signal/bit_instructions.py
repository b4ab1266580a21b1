"""Instructions that read the bits of a number as another type, without an array between them."""

from __future__ import annotations

from typing import Any

from llvmlite import ir
from numba import types
from numba.extending import intrinsic


def _read_as(given: types.Type, wanted: types.Type, code: ir.Type) -> Any:
    def typed(typing: Any, x: Any) -> Any:
        def generate(context: Any, builder: Any, sig: Any, args: tuple[Any, ...]) -> Any:
            return builder.bitcast(args[0], code)

        return wanted(given), generate

    return intrinsic(typed)


bits_of = _read_as(types.float64, types.int64, ir.IntType(64))
number_of = _read_as(types.int64, types.float64, ir.DoubleType())
