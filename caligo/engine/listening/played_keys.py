"""Keys played while listening, as notes."""

from __future__ import annotations

from caligo.document.score import Note

HELD = 4 * 3600.0
"""Seconds for which a key that is down lasts, as far as is known."""
MOST = 256
"""Notes that are remembered."""


class PlayedKeys:
    """The notes of keys that went down, and which of them still are.

    Parameters
    ----------
    shortest
        Seconds that a note lasts at least.
    """

    def __init__(self, shortest: float) -> None:
        self._shortest = shortest
        self._down: dict[int, Note] = {}
        self._count = 0
        self.notes: list[Note] = []

    def __bool__(self) -> bool:
        """Whether any key is down."""
        return bool(self._down)

    def press(self, key: int, velocity: int, at: float) -> None:
        """A key goes down at a moment; if it was down, it goes up first."""
        self.lift(key, at)
        self._count += 1
        note = Note(id=f"live{self._count}", pitch=key, start=at, length=HELD, velocity=velocity)
        self._down[key] = note
        self.notes = [*self.notes, note][-MOST:]

    def lift(self, key: int, at: float) -> None:
        """A key goes up at a moment."""
        note = self._down.pop(key, None)
        if note is not None:
            note.length = max(at - note.start, self._shortest)

    def clear(self) -> None:
        """No key is down, and none has been."""
        self._down.clear()
        self.notes = []
