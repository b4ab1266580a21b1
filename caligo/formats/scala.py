"""Scala scale files in: a description, a count, then one degree a line as cents or a ratio."""

from __future__ import annotations

import math

from pydantic import ValidationError

from caligo.document.sound import TuningScale
from caligo.errors import InputRefused

MOST_CHARACTERS = 256 << 10


class ScalaError(InputRefused):
    """A text that is not a Scala scale file."""


def _cents(text: str) -> float:
    """A degree: with a period it is cents, else a ratio or a whole number (Scala's rule)."""
    word = text.split(maxsplit=1)[0]
    if "." in word:
        return float(word)
    above, _, below = word.partition("/")
    ratio = int(above) / int(below or 1)
    if ratio <= 0:
        raise ValueError("a ratio is above zero")
    return 1200.0 * math.log2(ratio)


def read_scala(text: str, root: int = 60) -> TuningScale:
    """The scale in a Scala file.

    Parameters
    ----------
    text : str
    root : int, optional
        The key of the scale's unison.

    Returns
    -------
    TuningScale

    Raises
    ------
    ScalaError
        If the text is not a Scala scale file.
    """
    if "\0" in text:
        raise ScalaError("this is not a Scala scale file but one of another kind")
    if len(text) > MOST_CHARACTERS:
        raise ScalaError(f"it is longer than {MOST_CHARACTERS >> 10} kB, too long for a scale")
    lines = [line.strip() for line in text.splitlines() if not line.startswith("!")]
    try:
        count = int(lines[1].split()[0])
        degrees = [_cents(line) for line in lines[2 : 2 + count]]
    except (IndexError, ValueError, ArithmeticError) as error:
        raise ScalaError(f"this is not a Scala scale file: {str(error)[:120]}") from None
    if count < 1 or len(degrees) != count:
        raise ScalaError(f"the scale promises {count} degrees and holds {len(degrees)}")
    try:
        return TuningScale(name=lines[0][:200], root=root, cents=degrees)
    except ValidationError as error:
        what = error.errors()[0]["msg"].lower()
        raise ScalaError(
            f"a scale here has 1 to 128 degrees within 10 octaves of its root: {what}"
        ) from None
