"""Pieces of a voice that neighbouring blocks share, kept so that they are not made twice."""

from __future__ import annotations

from typing import Generic, TypeVar

from caligo.movement.block import SourceBlock

Piece = TypeVar("Piece")


class Recent(Generic[Piece]):
    """The newest pieces of each voice, by their number on an absolute grid.

    They could be made again at any time from the score alone; small blocks would make each
    piece several times over.
    """

    def __init__(self) -> None:
        self._by_voice: dict[str, dict[int, Piece]] = {}

    def clear(self) -> None:
        """Let go of all pieces: what they were made from has changed."""
        self._by_voice.clear()

    def of(self, block: SourceBlock, row: int, first: int) -> dict[int, Piece]:
        """The pieces of a voice from number `first` on, to be added to; older ones are let go."""
        name = block.voices[row].name
        kept = self._by_voice.get(name, {})
        # After a jump back what was kept lies ahead, and there would be a gap before it.
        kept = {n: piece for n, piece in kept.items() if n >= first} if first in kept else {}
        if len(self._by_voice) > 4 * len(block.voices) + 64:
            alive = {v.name for v in block.voices}
            self._by_voice = {k: v for k, v in self._by_voice.items() if k in alive}
        self._by_voice[name] = kept
        return kept
