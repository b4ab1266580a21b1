"""What stands out of a sound over its whole length, each with the band that answers it.

These are narrow peaks that stay, build-up of lower middles, rumble and harshness.
That lower middles (200 to 500 Hz) get muddy, that 2 to 6 kHz get harsh, and that nothing is wanted
below the lowest note is common practice; by how much is this module's own choice.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from caligo.measure.spectrogram import FLOOR, row_edges

Floats = NDArray[np.float64]

SILENT = -70.0
"""A column whose loudest row is below, in dB under a full-scale sine, counts as silence."""
NEIGHBOURS = 1.5
"""Octaves to each side within which other peaks are a peak's neighbours."""
FEWEST = 4
"""Neighbours that it takes to say what is usual."""
STANDS_OUT = 10.0
"""Decibels over what neighbours lead to expect from which on a peak is found."""
STAYS = 0.6
"""The fraction of the length for which it stands out at least."""
AUDIBLE = 30.0
"""Decibels under the strongest peak below which none is looked at."""
NARROW = 0.25
"""Octaves of the band that lowers a narrow peak."""
SAME = 0.06
"""Octaves within which two frequencies count as the same: more than a row."""
MOST_PEAKS = 4
MUD, LOWS, MIDDLES = (200.0, 500.0), (80.0, 200.0), (500.0, 2_000.0)
MUDDY = 10.0
"""Decibels an octave over both sides from which on lower middles have built up."""
HARSHNESS, BODY = (2_000.0, 6_000.0), (200.0, 2_000.0)
HARSH = 2.0
"""Decibels an octave over the body from which on it is harsh."""
TONE_ROWS = 3
"""Rows to either side of a tone that belong to it."""
RUMBLING = -18.0
"""Decibels under all there is from which on what lies below the notes is rumble."""
HELD_DOWN = 1.0
"""Decibels that the ceiling takes from which on that is reported."""
DEEPEST_CUT, GENTLEST_CUT = -12.0, -2.0


@dataclass(frozen=True, slots=True)
class Finding:
    """Something that stands out.

    Parameters
    ----------
    kind
        ``peak``, ``mud``, ``harshness`` or ``rumble``; ``ceiling`` where all is held down.
    hertz
        Where it is; 0 for all.
    excess
        By how many decibels it is more than usual, or than the ceiling lets through.
    fraction
        For which fraction of the length.
    shape, gain, width
        The band that answers it: its shape as the equalizer names it, decibels, octaves. The shape
        ``level`` is the master's level.
    text
        What it is, said for a person.
    """

    kind: str
    hertz: float
    excess: float
    fraction: float
    shape: str
    gain: float
    width: float
    text: str


def findings(levels: NDArray[np.uint8], played: Sequence[float]) -> list[Finding]:
    """What stands out in a picture.

    Parameters
    ----------
    levels
        An exact picture, as bytes ``[columns, ROWS]``, see `caligo.measure.spectrogram`.
    played
        The fundamentals of the notes, in Hz: they and the octaves beside them may stand out.

    Returns
    -------
    list of Finding
        Peaks first, the strongest of them first.
    """
    decibels = (levels / 255.0 - 1.0) * -FLOOR
    sounding = decibels[decibels.max(axis=1) > SILENT]
    if len(sounding) < 2:
        return []
    broad = [_mud(sounding), _harshness(sounding), _rumble(sounding, played)]
    return [*_peaks(sounding, played), *(one for one in broad if one is not None)]


def held_down(before: Floats, after: Floats, ceiling: float) -> Finding | None:
    """What the ceiling takes, where that can be heard.

    Parameters
    ----------
    before, after
        Peaks in dB of the same moments ahead of the ceiling and behind it ``[moments]``.
    ceiling
        In dBTP.
    """
    reached = before > ceiling - 0.5
    taken = np.where(reached, before - after, 0.0)
    most = float(taken.max(initial=0.0))
    if most < HELD_DOWN:
        return None
    fraction = float(np.mean(taken >= 0.5 * HELD_DOWN))
    return Finding(
        "ceiling",
        0.0,
        round(most, 1),
        round(fraction, 3),
        "level",
        -float(np.ceil(most)),
        0.0,
        f"The ceiling turns it down by up to {most:.1f} dB, in {max(1.0, 100.0 * fraction):.0f} % "
        "of the length: the loud parts sound flatter.",
    )


def _centres() -> Floats:
    edges = row_edges()
    found: Floats = np.sqrt(edges[:-1] * edges[1:])
    return found


def _is_played(hertz: float, played: Sequence[float]) -> bool:
    """Whether a frequency is a note's, or an octave above or below it."""
    away = np.abs(np.log2(hertz / np.array(played, np.float64)))
    return bool(np.any(away < SAME) or np.any(np.abs(away - 1.0) < SAME))


def _tones(decibels: Floats, prominence: float) -> NDArray[np.intp]:
    """The rows that are usually so many decibels over what lies on both sides."""
    from scipy.signal import find_peaks

    found: NDArray[np.intp] = find_peaks(np.median(decibels, axis=0), prominence=prominence)[0]
    return found


def _expected(levels: Floats, octaves: Floats, at: float) -> float:
    """The level in dB that a line through others leads to expect.

    The median of all slopes between two of them (H. Theil, "A rank-invariant method of linear and
    polynomial regression analysis", 1950): a peak beside another does not bend it.
    """
    first, second = np.triu_indices(len(levels), 1)
    slope = np.median((levels[second] - levels[first]) / (octaves[second] - octaves[first]))
    return float(np.median(levels) + slope * (at - np.median(octaves)))


def _peaks(decibels: Floats, played: Sequence[float]) -> list[Finding]:
    """Narrow peaks that stand out of the line of their neighbours for most of the length."""
    usual = np.median(decibels, axis=0)
    rows = _tones(decibels, 3.0)
    rows = rows[usual[rows] > usual.max() - AUDIBLE - STANDS_OUT]
    hertz = _centres()
    octaves = np.log2(hertz)
    found = []
    for row in rows[usual[rows] > usual.max() - AUDIBLE]:
        near = rows[(np.abs(octaves[rows] - octaves[row]) < NEIGHBOURS) & (rows != row)]
        if len(near) < FEWEST or _is_played(float(hertz[row]), played):
            continue
        expected = _expected(usual[near], octaves[near], float(octaves[row]))
        excess = float(usual[row] - expected)
        here = decibels[:, max(0, row - 1) : row + 2].max(axis=1)
        fraction = float(np.mean(here > expected + 0.6 * STANDS_OUT))
        if excess >= STANDS_OUT and fraction >= STAYS:
            found.append(
                Finding(
                    "peak",
                    round(float(hertz[row]), 1),
                    round(excess, 1),
                    round(fraction, 3),
                    "bell",
                    _cut(excess - 3.0),
                    NARROW,
                    f"A narrow peak at {hertz[row]:.0f} Hz stands {excess:.0f} dB over its "
                    f"neighbours for {100.0 * fraction:.0f} % of the length.",
                )
            )
    return sorted(found, key=lambda one: -one.excess)[:MOST_PEAKS]


def _cut(decibels: float) -> float:
    return round(2.0 * min(GENTLEST_CUT, max(DEEPEST_CUT, -decibels))) / 2.0


def _density(decibels: Floats, band: tuple[float, float]) -> Floats:
    """Power per octave within a band, in dB, of every column."""
    hertz = _centres()
    inside = (hertz >= band[0]) & (hertz < band[1])
    power = (10.0 ** (decibels[:, inside] / 10.0)).sum(axis=1)
    found: Floats = 10.0 * np.log10(np.maximum(power / np.log2(band[1] / band[0]), 1e-12))
    return found


def _mean(decibels: Floats) -> float:
    """The mean power of columns, in dB."""
    return float(10.0 * np.log10(np.mean(10.0 ** (decibels / 10.0))))


def _fuller(here: Floats, beside: Floats, least: float) -> tuple[float, float]:
    """By how many decibels a band is fuller than what lies beside it, and how often by `least`.

    `here` and `beside` are power per octave in dB ``[columns]``.
    """
    return _mean(here) - _mean(beside), float(np.mean(here - beside >= least))


def _mud(decibels: Floats) -> Finding | None:
    beside = np.maximum(_density(decibels, LOWS), _density(decibels, MIDDLES))
    excess, fraction = _fuller(_density(decibels, MUD), beside, MUDDY)
    if excess < MUDDY:
        return None
    text = f"From 200 to 500 Hz it is {excess:.0f} dB fuller than beside: it may sound muddy."
    gain = _cut(0.5 * excess)
    return Finding("mud", 320.0, round(excess, 1), round(fraction, 3), "bell", gain, 1.3, text)


def _harshness(decibels: Floats) -> Finding | None:
    beside = _density(decibels, BODY)
    excess, fraction = _fuller(_density(decibels, HARSHNESS), beside, HARSH)
    if excess < HARSH:
        return None
    text = f"From 2 to 6 kHz it is {excess:.0f} dB fuller than below: it may sound harsh."
    gain = _cut(1.5 * excess)  # a bell acts in full in its middle alone
    found = round(excess, 1), round(fraction, 3)
    return Finding("harshness", 3_500.0, *found, "bell", gain, 1.6, text)


def _rumble(decibels: Floats, played: Sequence[float]) -> Finding | None:
    border = 0.8 * min(played, default=0.0)
    if border <= row_edges()[1]:
        return None
    # A tone down there, an octave below the notes for instance, is meant.
    tones = _tones(decibels, 6.0)
    rows = np.arange(decibels.shape[1])
    apart = np.min(np.abs(rows[:, None] - [*tones, -99]), axis=1) > TONE_ROWS
    below = 10.0 ** (decibels[:, (_centres() < border) & apart] / 10.0)
    whole = (10.0 ** (decibels / 10.0)).sum(axis=1)
    fraction_of_power = below.sum(axis=1) / whole
    excess = 10.0 * float(np.log10(max(below.sum() / whole.sum(), 1e-12))) - RUMBLING
    if excess < 0.0:
        return None
    fraction = float(np.mean(fraction_of_power > 10.0 ** (RUMBLING / 10.0)))
    return Finding(
        "rumble",
        round(border, 1),
        round(excess, 1),
        round(fraction, 3),
        "low_cut",
        0.0,
        1.9,
        f"Below {border:.0f} Hz, under the lowest note, there is rumble that takes room.",
    )
