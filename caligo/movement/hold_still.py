"""Whether all moves, all rests, or all is frozen as it is at one moment."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Frozen:
    """Every moved parameter keeps the value that it has at a moment, in seconds."""

    at: float


HoldStill = bool | Frozen
"""False where all moves; True where every parameter keeps its resting value."""


def as_text(still: HoldStill) -> str:
    """A stillness in a word, for hashes."""
    return f"frozen at {still.at!r}" if isinstance(still, Frozen) else str(still)
