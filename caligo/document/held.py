"""Scores made from a held chord, the usual way to begin."""

from __future__ import annotations

from caligo.document.pitch import chord
from caligo.document.score import Note, Score

TAIL_FRACTION = 0.07
"""Share of a score's length that is left free after a held chord, for its release."""


def held_chord(
    text: str, length: float = 240.0, velocity: int = 90, tail: float | None = None
) -> Score:
    """A score that holds a chord from its start until shortly before its end.

    Parameters
    ----------
    text : str
        Notes or chord symbols, see `caligo.document.pitch.chord`.
    length : float, optional
        Length of the score in seconds.
    velocity : int, optional
        MIDI velocity of all notes, 1 to 127.
    tail : float, optional
        Seconds left free at the end for the release; by default 7 % of the length.

    Returns
    -------
    Score

    Raises
    ------
    PitchError
        A word names neither a note nor a chord.

    Examples
    --------
    >>> score = held_chord("C2 G2", 10.0, tail=2.0)
    >>> [(note.pitch, note.length) for note in score.notes]
    [(36, 8.0), (43, 8.0)]
    """
    free = length * TAIL_FRACTION if tail is None else min(tail, length * 0.9)
    return Score(
        name=text.strip(),
        length=length,
        notes=[
            Note(id=f"n{i}", pitch=key, start=0.0, length=length - free, velocity=velocity)
            for i, key in enumerate(chord(text), start=1)
        ],
    )
