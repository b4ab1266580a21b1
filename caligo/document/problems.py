"""What is wrong with a document, said so that a person can put it right."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

from caligo.errors import InputRefused

LONGEST_VALUE, LONGEST_MESSAGE = 80, 240
"""Characters of a value or address, and of a message, that are said."""
MOST_SAID = 6
"""Problems that are said in words; all of them are held."""


@dataclass(frozen=True, slots=True)
class Problem:
    """One thing that is wrong: where, what was found, what is allowed."""

    address: str
    message: str
    value: Any = None
    allowed: str = ""

    def __str__(self) -> str:
        said = f"{_short(self.address) or 'document'}: {_short(self.message, LONGEST_MESSAGE)}"
        if self.value is not None:
            said += f" (found {_short(repr(self.value))})"
        if self.allowed:
            said += f"; allowed: {_short(self.allowed, LONGEST_MESSAGE)}"
        return said

    def as_json(self) -> dict[str, Any]:
        """The problem as plain data, without NaN and of a few hundred characters at most."""
        value = self.value
        if isinstance(value, float) and not math.isfinite(value):
            value = str(value)
        elif value is not None and not isinstance(value, bool | int | float):
            value = _short(value if isinstance(value, str) else repr(value))
        return {
            "address": _short(self.address),
            "message": _short(self.message, LONGEST_MESSAGE),
            "value": value,
            "allowed": _short(self.allowed, LONGEST_MESSAGE),
            "text": str(self),
        }


def _short(text: str, most: int = LONGEST_VALUE) -> str:
    return text if len(text) <= most else f"{text[: most - 1]}…"


class DocumentError(InputRefused):
    """A document, score or edit that breaks the rules; holds every problem found."""

    def __init__(self, problems: list[Problem]) -> None:
        self.problems = problems
        said = [str(problem) for problem in problems[:MOST_SAID]]
        if len(problems) > MOST_SAID:
            said.append(f"and {len(problems) - MOST_SAID} more")
        super().__init__("\n".join(said))
