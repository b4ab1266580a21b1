"""Filters at matched loudness: what a peak adds is taken off, what a band leaves out is made up.

Pink noise, which has as much power in each octave, is the measure, as loud as ITU-R BS.1770 weighs
it: how much a peak adds depends on where it lies, and on how many octaves pass beside it.
"""

from __future__ import annotations

from functools import cache

import numpy as np
from numpy.typing import NDArray

from caligo.catalogue import Kind, Parameter
from caligo.measure.loudness import k_weighting
from caligo.processing.cutoff import narrowing, quality
from caligo.processing.processor import Signal
from caligo.signal.gains import scale_stereo
from caligo.signal.state_variable import sharpness

Floats = NDArray[np.float64]

RATE = 192_000
"""Samples per second of the meter's filters: high, so that they are those of any rate."""
LOWEST, HIGHEST = 20.0, 20_000.0
"""Hertz between which noise is heard."""
CORNERS = LOWEST * 2.0 ** (np.arange(31) / 3.0)
RESONANCES = np.linspace(0.0, 100.0, 41)
"""Hertz and per cent that gains are worked out for; between them they are interpolated."""
HERTZ = np.geomspace(LOWEST, HIGHEST, 3_000)
PLACES = HERTZ / CORNERS[:, None, None]
"""Where `HERTZ` lie over each cutoff ``[cutoffs, 1, hertz]``."""


def weight(hertz: Floats) -> Floats:
    """|K|^2 of BS.1770-4 at frequencies ``[...]``, by the meter's own filters."""
    delay = np.exp(-2j * np.pi * hertz / RATE)
    found: Floats = np.ones(hertz.shape)
    for b, a in k_weighting(RATE):
        found *= np.abs(np.polyval(b[::-1], delay) / np.polyval(a[::-1], delay)) ** 2
    return found


@cache
def matching_gains(steep: bool, highpass: bool) -> Floats:
    """Gains in dB at which pink noise is as loud as without resonance ``[cutoffs, resonances]``.

    `steep` is a filter of 24 dB per octave, not of 12. A filter asks for them as it is made, since
    they take a moment the first time.
    """
    power = np.ones((len(CORNERS), len(RESONANCES), len(HERTZ)))
    for turn in sharpness(RESONANCES[None], steep)[0]:
        power /= (1.0 - PLACES**2) ** 2 + (PLACES * turn[:, None]) ** 2
        if highpass:
            power *= PLACES**4
    return gains_of(power)


def gains_of(power: Floats) -> Floats:
    """Gains in dB at which pink noise is as loud as without resonance ``[cutoffs, resonances]``.

    `power` is that of the response to `HERTZ` ``[cutoffs, resonances, hertz]``; see `PLACES`.
    """
    loud = power @ weight(HERTZ)
    found: Floats = 10.0 * np.log10(loud[:, :1] / loud)
    return found


WIDTHS = np.geomspace(0.01, 4.0, len(RESONANCES))
"""Octaves that the gains of a band are worked out for."""
MOST_MADE_UP = 18.0
"""Decibels by which a band is raised at most: a single partial is all of its own band."""


@cache
def band_gains(stages: int) -> Floats:
    """Gains in dB at which pink noise is as loud through a band as before ``[cutoffs, widths]``.

    The band is that of equal resonances behind each other, together as wide as `WIDTHS`.
    """
    q = quality(WIDTHS[:, None]) * narrowing(stages)
    power = (1.0 + (q * (PLACES - 1.0 / PLACES)) ** 2) ** -stages
    heard = weight(HERTZ)
    found: Floats = 10.0 * np.log10(heard.sum() / (power @ heard))
    return np.minimum(found, MOST_MADE_UP)


def matched_band(gains: Floats, width: Floats, hertz: Floats) -> Floats:
    """The gain at which a band is as loud as what comes in ``[voices, ticks]``.

    Parameters
    ----------
    gains
        See `band_gains`.
    width, hertz
        Octaves and the cutoff ``[voices, ticks]``.
    """
    span = np.log(WIDTHS[-1] / WIDTHS[0])
    return matched(gains, RESONANCES[-1] * np.log(width / WIDTHS[0]) / span, hertz)


def even_parameter(
    when: tuple[str, tuple[str, ...]] | None = ("slope", ("12", "24")),
    text: str = "Turns the whole down by what the resonance adds, as pink noise tells it.",
) -> Parameter:
    """The switch of a filter that changes the loudness."""
    return Parameter(
        "even",
        "Gain compensation",
        text,
        default=False,
        kind=Kind.SWITCH,
        group="Cut",
        when=when,
    )


def matched(gains: Floats, resonance: Floats, hertz: Floats) -> Floats:
    """The gain at which a filter is as loud as without resonance ``[voices, ticks]``.

    Parameters
    ----------
    gains
        See `matching_gains`.
    resonance, hertz
        Per cent and the cutoff ``[voices, ticks]``.
    """
    row = np.clip(3.0 * np.log2(np.maximum(hertz, LOWEST) / LOWEST), 0.0, len(CORNERS) - 1.001)
    column = np.minimum(resonance / (RESONANCES[1] - RESONANCES[0]), len(RESONANCES) - 1.001)
    i, j = row.astype(np.int64), column.astype(np.int64)
    x, y = row - i, column - j
    low = gains[i, j] + y * (gains[i, j + 1] - gains[i, j])
    high = gains[i + 1, j] + y * (gains[i + 1, j + 1] - gains[i + 1, j])
    found: Floats = 10.0 ** ((low + x * (high - low)) / 20.0)
    return found


def blend(mix: Floats, gain: Floats) -> tuple[Floats, Floats]:
    """How far to mix, and by how much to scale what comes of it, so that `gain` is the filter's.

    ``m g y + (1 - m) x`` is ``s (x + n (y - x))`` with ``s = 1 - m + m g`` and ``n = m g / s``; all
    are ``[voices, ticks]``.
    """
    scale = 1.0 - mix + mix * gain
    return mix * gain / scale, scale


def scale_voices(signal: Signal, gains: Floats) -> None:
    """Scale `signal` ``[voices, 2, samples]`` by gains at every tick ``[voices, ticks + 1]``."""
    for voice, own in zip(signal, gains, strict=True):
        scale_stereo(voice[None], own)
