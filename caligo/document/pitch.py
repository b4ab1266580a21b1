"""Note names, chord symbols and frequencies."""

from __future__ import annotations

import math
import re

from caligo.errors import InputRefused

STEPS = {"C": 0, "D": 2, "E": 4, "F": 5, "G": 7, "A": 9, "B": 11}
NAMES = ("C", "C♯", "D", "E♭", "E", "F", "F♯", "G", "A♭", "A", "B♭", "B")
"""As musicians spell them without a key; ``#`` and ``b`` are read as well."""

MIDDLE_C_OCTAVES = math.log2(261.6255653005986)
"""Octaves over 1 Hz of C4, where key follow does nothing (ISO 16)."""

_NOTE = re.compile(r"^([A-Ga-g])([#b♯♭]*)(-?\d+)$")
_SYMBOL = re.compile(r"^([A-G])([#b♯♭]?)([^/]*)(?:/([A-G])([#b♯♭]?))?$")

CHORDS: dict[str, tuple[int, ...]] = {
    "": (0, 4, 7),
    "maj": (0, 4, 7),
    "m": (0, 3, 7),
    "min": (0, 3, 7),
    "5": (0, 7),
    "6": (0, 4, 7, 9),
    "m6": (0, 3, 7, 9),
    "69": (0, 4, 7, 9, 14),
    "7": (0, 4, 7, 10),
    "maj7": (0, 4, 7, 11),
    "m7": (0, 3, 7, 10),
    "mmaj7": (0, 3, 7, 11),
    "9": (0, 4, 7, 10, 14),
    "maj9": (0, 4, 7, 11, 14),
    "m9": (0, 3, 7, 10, 14),
    "11": (0, 7, 10, 14, 17),
    "m11": (0, 3, 7, 10, 14, 17),
    "13": (0, 4, 7, 10, 14, 21),
    "maj13": (0, 4, 7, 11, 14, 21),
    "add9": (0, 4, 7, 14),
    "madd9": (0, 3, 7, 14),
    "sus2": (0, 2, 7),
    "sus4": (0, 5, 7),
    "7sus4": (0, 5, 7, 10),
    "dim": (0, 3, 6),
    "dim7": (0, 3, 6, 9),
    "m7b5": (0, 3, 6, 10),
    "aug": (0, 4, 8),
}
"""Intervals in semitones over the root, for the chord symbols in common use."""


class PitchError(InputRefused):
    """A text that names neither a note nor a chord."""


def frequency(key: float, a4: float = 440.0) -> float:
    """The frequency of a key in equal temperament (ISO 16: A4 = 440 Hz).

    Parameters
    ----------
    key : float
        MIDI key number; fractions are parts of a semitone.
    a4 : float, optional
        Frequency of key 69 in Hz.

    Returns
    -------
    float
        Hz.

    Examples
    --------
    >>> frequency(69)
    440.0
    """
    return float(a4 * 2.0 ** ((key - 69.0) / 12.0))


def _accidental(signs: str) -> int:
    return sum(1 if s in "#♯" else -1 for s in signs)


def note_number(name: str) -> int:
    """The MIDI key number of a note name; C4 is middle C, key 60.

    Parameters
    ----------
    name : str
        Letter, any ``#``, ``b``, ``♯`` or ``♭``, and octave.

    Returns
    -------
    int
        0 to 127.

    Raises
    ------
    PitchError
        It is no note name, or lies outside C-1 to G9.

    Examples
    --------
    >>> note_number("C2"), note_number("Bb3")
    (36, 58)
    """
    match = _NOTE.match(name.strip())
    if not match:
        raise PitchError(f"{name!r} is not a note; write for example C2, F#3 or Bb4")
    step, signs, octave = match.groups()
    key = 12 * (int(octave) + 1) + STEPS[step.upper()] + _accidental(signs)
    if not 0 <= key <= 127:
        raise PitchError(f"{name!r} is outside the range C-1 to G9")
    return key


def note_name(key: int) -> str:
    """The name of a MIDI key number.

    Parameters
    ----------
    key : int

    Returns
    -------
    str
        With sharps and flats as musicians spell them without a key.

    Examples
    --------
    >>> note_name(60), note_name(63)
    ('C4', 'E♭4')
    """
    return f"{NAMES[key % 12]}{key // 12 - 1}"


def _chord_symbol(text: str) -> list[int]:
    match = _SYMBOL.match(text)
    if not match:
        raise PitchError(f"{text!r} is neither a note such as C2 nor a chord such as Am9")
    root, sign, quality, bass, bass_sign = match.groups()
    plain = quality.replace("M7", "maj7").replace("-", "m").replace("(", "").replace(")", "")
    if plain not in CHORDS:
        known = ", ".join(q for q in CHORDS if q)
        raise PitchError(f"the chord quality {quality!r} in {text!r} is not known; known: {known}")
    low = 48 + STEPS[root] + _accidental(sign)
    keys = [low + interval for interval in CHORDS[plain]]
    if bass:
        keys.insert(0, 36 + STEPS[bass] + _accidental(bass_sign))
    return keys


def chord(text: str) -> list[int]:
    """The keys named by notes or chord symbols, separated by blanks or commas, in order.

    A chord symbol is laid from the octave below middle C upwards; a slash bass lies below.

    Parameters
    ----------
    text : str
        Such as ``"C2 G2"``, ``"Am9"`` or ``"F/C, Bb2"``.

    Returns
    -------
    list of int
        MIDI key numbers.

    Raises
    ------
    PitchError
        A word names neither a note nor a chord, or lies outside C-1 to G9.

    Examples
    --------
    >>> [note_name(k) for k in chord("C2 G2 D3")]
    ['C2', 'G2', 'D3']
    >>> [note_name(k) for k in chord("Am9")]
    ['A3', 'C4', 'E4', 'G4', 'B4']
    """
    words = [w for w in re.split(r"[\s,]+", text.strip()) if w]
    if not words:
        raise PitchError("name at least one note or chord, for example C2 G2 D3 or Am9")
    keys: list[int] = []
    for word in words:
        found = [note_number(word)] if _NOTE.match(word) else _chord_symbol(word)
        keys.extend(k for k in found if k not in keys)
    return keys
