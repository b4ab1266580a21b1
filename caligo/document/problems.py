"""What is wrong with a document, said so that a person can put it right."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any


@dataclass(frozen=True, slots=True)
class Problem:
    """One thing that is wrong: where, what was found, what is allowed."""

    address: str
    message: str
    value: Any = None
    allowed: str = ""

    def __str__(self) -> str:
        said = f"{self.address or 'document'}: {self.message}"
        if self.value is not None:
            said += f" (found {self.value!r})"
        if self.allowed:
            said += f"; allowed: {self.allowed}"
        return said

    def as_json(self) -> dict[str, Any]:
        """The problem as plain data."""
        return asdict(self) | {"text": str(self)}


class DocumentError(ValueError):
    """A document, score or edit that breaks the rules; holds every problem found."""

    def __init__(self, problems: list[Problem]) -> None:
        self.problems = problems
        super().__init__("\n".join(str(p) for p in problems))
