"""What teaches numba vectors, and the instructions on them that `caligo.signal.vector` names."""

from __future__ import annotations

import math
import operator
from collections.abc import Callable, Iterator
from typing import Any

from llvmlite import ir
from numba import types
from numba.core import cgutils
from numba.core.imputils import lower_builtin
from numba.core.typing.templates import AbstractTemplate, infer_global, signature
from numba.extending import intrinsic, models, overload, register_model

from caligo.signal.vector import WIDTH


class Vector(types.Type):
    """What numba calls eight floats in one register.

    Parameters
    ----------
    number
        What numba calls one of them.
    code
        What LLVM calls all of them.
    """

    def __init__(self, name: str, number: types.Type, code: ir.Type) -> None:
        super().__init__(name=name)
        self.number = number
        self.code = code


def _instruction(generator: Callable[..., Any]) -> Any:
    """What a kernel calls, made of what tells numba its type and its code."""
    return intrinsic(generator)


VECTOR = ir.VectorType(ir.DoubleType(), WIDTH)
SINGLES = ir.VectorType(ir.FloatType(), WIDTH)
EIGHT = Vector("Vector", types.float64, VECTOR)
EIGHT_SINGLES = Vector("Vector of singles", types.float32, SINGLES)


@register_model(Vector)
class _VectorModel(models.PrimitiveModel):
    def __init__(self, manager: Any, type_: Vector) -> None:
        super().__init__(manager, type_, type_.code)


def _in_each(builder: Any, number: Any) -> Any:
    """A number eight times."""
    vector = ir.Constant(ir.VectorType(number.type, WIDTH), ir.Undefined)
    for i in range(WIDTH):
        vector = builder.insert_element(vector, number, ir.Constant(ir.IntType(32), i))
    return vector


def _teach(operation: Any, instruction: str) -> None:
    """Make an operation of two numbers one of vectors, or of a vector and a number."""

    @infer_global(operation)
    class Operation(AbstractTemplate):
        def generic(self, args: tuple[Any, ...], kws: dict[str, Any]) -> Any:
            for kind in (EIGHT, EIGHT_SINGLES):
                if len(args) == 2 and kind in args and set(args) <= {kind, kind.number}:
                    return signature(kind, *args)
            return None

    def lower(context: Any, builder: Any, sig: Any, args: tuple[Any, Any]) -> Any:
        operands = zip(sig.args, args, strict=True)
        first, second = (
            x if isinstance(of, Vector) else _in_each(builder, x) for of, x in operands
        )
        return getattr(builder, instruction)(first, second)

    for kind in (EIGHT, EIGHT_SINGLES):
        for pair in ((kind, kind), (kind, kind.number), (kind.number, kind)):
            lower_builtin(operation, *pair)(lower)


for _operation, _code in (
    (operator.add, "fadd"),
    (operator.iadd, "fadd"),
    (operator.sub, "fsub"),
    (operator.isub, "fsub"),
    (operator.mul, "fmul"),
    (operator.imul, "fmul"),
    (operator.truediv, "fdiv"),
):
    _teach(_operation, _code)


def _of_each(name: str) -> Any:
    """One of LLVM's functions of a number, for vectors."""

    def typed(typing: Any, x: Any) -> Any:
        def generate(context: Any, builder: Any, sig: Any, args: tuple[Any, ...]) -> Any:
            kind = ir.FunctionType(VECTOR, [VECTOR])
            whole = f"llvm.{name}.v{WIDTH}f64"
            return builder.call(cgutils.get_or_insert_function(builder.module, kind, whole), args)

        return EIGHT(EIGHT), generate

    return _instruction(typed)


_root, _size = _of_each("sqrt"), _of_each("fabs")


@overload(math.sqrt)
def _sqrt(x: Any) -> Any:
    """The square root of each number."""
    if x != EIGHT:
        return None

    def root(x: Any) -> Any:
        return _root(x)

    return root


@overload(abs)
def _abs(x: Any) -> Any:
    """Each number without its sign."""
    if x != EIGHT:
        return None

    def size(x: Any) -> Any:
        return _size(x)

    return size


def _kind_of(rows: Any) -> Vector:
    """What an array's rows ``[rows, WIDTH]`` are taken for."""
    return EIGHT if rows.dtype == types.float64 else EIGHT_SINGLES


def _row(context: Any, builder: Any, array_type: Any, array: Any, n: Any) -> Any:
    """Where row `n` of an array ``[rows, WIDTH]`` begins."""
    data = cgutils.create_struct_proxy(array_type)(context, builder, value=array).data
    first = builder.mul(n, ir.Constant(n.type, WIDTH))
    return builder.bitcast(builder.gep(data, [first]), _kind_of(array_type).code.as_pointer())


@_instruction
def load(typing: Any, rows: Any, n: Any) -> Any:
    """Row `n` of ``[rows, WIDTH]``, floats without gaps."""

    def generate(context: Any, builder: Any, sig: Any, args: tuple[Any, ...]) -> Any:
        return builder.load(_row(context, builder, sig.args[0], args[0], args[1]), align=4)

    return _kind_of(rows)(rows, types.intp), generate


@_instruction
def load_from(typing: Any, numbers: Any, n: Any) -> Any:
    """Eight floats of ``[numbers]``, without gaps, from number `n` on."""

    def generate(context: Any, builder: Any, sig: Any, args: tuple[Any, ...]) -> Any:
        data = cgutils.create_struct_proxy(numbers)(context, builder, value=args[0]).data
        place = builder.gep(data, [args[1]])
        return builder.load(builder.bitcast(place, sig.return_type.code.as_pointer()), align=4)

    return _kind_of(numbers)(numbers, types.intp), generate


@_instruction
def store(typing: Any, rows: Any, n: Any, vector: Any) -> Any:
    """Write row `n` of ``[rows, WIDTH]``."""

    def generate(context: Any, builder: Any, sig: Any, args: tuple[Any, ...]) -> Any:
        place = _row(context, builder, sig.args[0], args[0], args[1])
        builder.store(args[2], place, align=4)
        return context.get_dummy_value()

    return types.void(rows, types.intp, _kind_of(rows)), generate


@_instruction
def in_each(typing: Any, number: Any) -> Any:
    """A number eight times."""

    def generate(context: Any, builder: Any, sig: Any, args: tuple[Any, ...]) -> Any:
        return _in_each(builder, args[0])

    return EIGHT(types.float64), generate


def _channels(
    context: Any, builder: Any, signal_type: Any, signal: Any, first: Any, n: Any
) -> Iterator[Any]:
    """Where sample `n` of eight channels of ``[voices, 2, samples]`` lies, as pointers."""
    array = cgutils.create_struct_proxy(signal_type)(context, builder, value=signal)
    to_voice, to_channel, to_sample = cgutils.unpack_tuple(builder, array.strides, 3)
    start = builder.ptrtoint(array.data, n.type)
    start = builder.add(start, builder.mul(n, to_sample))
    for i in range(WIDTH):
        voice = builder.add(first, ir.Constant(first.type, i // 2))
        place = builder.add(start, builder.mul(voice, to_voice))
        place = builder.add(place, to_channel) if i % 2 else place
        yield builder.inttoptr(place, SINGLES.as_pointer())


def _turned(builder: Any, rows: list[Any]) -> list[Any]:
    """Eight rows of eight numbers as columns: halves, quarters and single ones change places."""
    for half in (1, 2, 4):
        turned = list(rows)
        for i in range(WIDTH):
            if i & half:
                continue
            low = [p if not p & half else WIDTH + p - half for p in range(WIDTH)]
            high = [p + half if not p & half else WIDTH + p for p in range(WIDTH)]
            for to, mask in ((i, low), (i + half, high)):
                places = ir.Constant(ir.VectorType(ir.IntType(32), WIDTH), mask)
                turned[to] = builder.shuffle_vector(rows[i], rows[i + half], places)
        rows = turned
    return rows


def _turn_in(
    context: Any, builder: Any, sig: Any, args: tuple[Any, ...], places: Iterator[Any]
) -> Any:
    """Eight samples from each of eight `places`, as columns of the rows that are asked for."""
    kind = _kind_of(sig.args[3])
    samples = [builder.load(place, align=4) for place in places]
    for i, vector in enumerate(_turned(builder, samples)):
        at = builder.add(args[4], ir.Constant(args[4].type, i))
        row = builder.fpext(vector, VECTOR) if kind == EIGHT else vector
        builder.store(row, _row(context, builder, sig.args[3], args[3], at), align=4)
    return context.get_dummy_value()


def _turn_out(
    context: Any, builder: Any, sig: Any, args: tuple[Any, ...], places: Iterator[Any]
) -> Any:
    """The inverse of `_turn_in`."""
    kind = _kind_of(sig.args[0])
    columns = []
    for i in range(WIDTH):
        at = builder.add(args[1], ir.Constant(args[1].type, i))
        row = builder.load(_row(context, builder, sig.args[0], args[0], at), align=4)
        columns.append(builder.fptrunc(row, SINGLES) if kind == EIGHT else row)
    for place, samples in zip(places, _turned(builder, columns), strict=True):
        builder.store(samples, place, align=4)
    return context.get_dummy_value()


def _lines(
    context: Any, builder: Any, lines_type: Any, lines: Any, first: Any, n: Any
) -> Iterator[Any]:
    """Where column `n` of eight rows of ``[lines, samples]`` lies, as pointers."""
    array = cgutils.create_struct_proxy(lines_type)(context, builder, value=lines)
    to_line, to_sample = cgutils.unpack_tuple(builder, array.strides, 2)
    start = builder.ptrtoint(array.data, n.type)
    start = builder.add(start, builder.mul(n, to_sample))
    for i in range(WIDTH):
        line = builder.add(first, ir.Constant(first.type, i))
        place = builder.add(start, builder.mul(line, to_line))
        yield builder.inttoptr(place, SINGLES.as_pointer())


def _turning_in(places: Callable[..., Iterator[Any]]) -> Any:
    """What turns eight rows of samples, from the `places` that it is given into vectors."""

    def typed(typing: Any, signal: Any, first: Any, n: Any, rows: Any, row: Any) -> Any:
        def generate(context: Any, builder: Any, sig: Any, args: tuple[Any, ...]) -> Any:
            found = places(context, builder, sig.args[0], *args[:3])
            return _turn_in(context, builder, sig, args, found)

        return types.void(signal, types.intp, types.intp, rows, types.intp), generate

    return _instruction(typed)


def _turning_out(places: Callable[..., Iterator[Any]]) -> Any:
    """The inverse of `_turning_in`."""

    def typed(typing: Any, rows: Any, row: Any, signal: Any, first: Any, n: Any) -> Any:
        def generate(context: Any, builder: Any, sig: Any, args: tuple[Any, ...]) -> Any:
            found = places(context, builder, sig.args[2], *args[2:])
            return _turn_out(context, builder, sig, args, found)

        return types.void(rows, types.intp, signal, types.intp, types.intp), generate

    return _instruction(typed)


load_channels, store_channels = _turning_in(_channels), _turning_out(_channels)
load_lines, store_lines = _turning_in(_lines), _turning_out(_lines)


NEIGHBOURS = [[0, 2, 8, 10, 4, 6, 12, 14], [1, 3, 9, 11, 5, 7, 13, 15]]
"""Numbers of two vectors that are added to each other: the first and the second of each pair."""
HALVES = [[0, 1, 2, 3, 8, 9, 10, 11], [4, 5, 6, 7, 12, 13, 14, 15]]


def _added(builder: Any, a: Any, b: Any, places: list[list[int]]) -> Any:
    """A vector of sums of two numbers each out of `a` and `b`."""
    kind = ir.VectorType(ir.IntType(32), WIDTH)
    first, second = (builder.shuffle_vector(a, b, ir.Constant(kind, lanes)) for lanes in places)
    return builder.fadd(first, second)


@_instruction
def totals(typing: Any, a: Any, b: Any, c: Any, d: Any, e: Any, f: Any, g: Any, h: Any) -> Any:
    """The sums of eight vectors, as one: of `a` first, of `h` last."""

    def generate(context: Any, builder: Any, sig: Any, args: tuple[Any, ...]) -> Any:
        pairs = [_added(builder, args[i], args[i + 1], NEIGHBOURS) for i in range(0, WIDTH, 2)]
        fours = [_added(builder, pairs[i], pairs[i + 1], NEIGHBOURS) for i in (0, 2)]
        return _added(builder, fours[0], fours[1], HALVES)

    return a(a, b, c, d, e, f, g, h), generate
