"""Types of a kernel's arguments, as they are declared."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, TypeAlias


class KernelTypeError(TypeError):
    """A kernel was called with arguments of other types than it declares."""


@dataclass(frozen=True)
class TupleType:
    """The type of a named tuple as a kernel's argument.

    Parameters
    ----------
    of : type
        The named tuple's class.
    members : str
        Types of its members, in numba's notation.
    """

    of: type
    members: str


Declared: TypeAlias = str | TupleType | tuple[str | TupleType, ...]


def numba_types(signature: Declared) -> tuple[Any, ...]:
    """Numba's types of a signature.

    Examples
    --------
    >>> numba_types(("f8", "f4[::1]"))
    (float64, Array(float32, 1, 'C', False, aligned=True))
    """
    from numba import types
    from numba.core import sigutils

    if isinstance(signature, str):
        arguments, _ = sigutils.normalize_signature(f"({signature},)")
        return tuple(arguments)
    if isinstance(signature, TupleType):
        members = numba_types(signature.members)
        return (types.BaseTuple.from_types(members, signature.of),)  # type: ignore[attr-defined]
    return tuple(one for part in signature for one in numba_types(part))
