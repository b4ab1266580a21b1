"""Limits of what is read from outside: a few bytes must not take minutes or gigabytes."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from caligo.document.problems import DocumentError, Problem

DEEPEST = 40
"""Lists and objects in each other at most; a sound with effects in effects needs about 25."""
MOST_VALUES = 400_000
"""Values in a document at most; a score with 20,000 notes has 120,000."""


def check_bounds(data: Any, what: str = "document") -> int:
    """The number of values in JSON data.

    Raises
    ------
    DocumentError
        Where it is nested deeper than `DEEPEST`, or holds more than `MOST_VALUES`.
    """
    count = 0
    waiting: list[tuple[Any, int]] = [(data, 1)]
    while waiting:
        value, depth = waiting.pop()
        count += 1
        if depth > DEEPEST:
            raise DocumentError([Problem(what, f"it is nested deeper than {DEEPEST} levels")])
        if count > MOST_VALUES:
            raise DocumentError([Problem(what, f"it holds more than {MOST_VALUES} values")])
        inner: Iterable[Any] = ()
        if isinstance(value, dict):
            inner = value.values()
        elif isinstance(value, list):
            inner = value
        waiting.extend((one, depth + 1) for one in inner)
    return count
