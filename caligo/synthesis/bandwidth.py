"""How high the components of operators reach, and how often they must be sampled for that.

Source: J. Chowning, "The synthesis of complex audio spectra by means of frequency modulation"
(JAES 1973): a sine whose phase is modulated with index I has side bands at multiples of the
modulating frequency, as high as the Bessel functions J_n(I). Those are under -90 dB from
n = I + 4.2 cbrt(I) on (by computation, up to an index of 24). Of a wave that is itself modulated,
the first term counts how fast its phase goes at most, as J. Carson's rule does for the bandwidth.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

from caligo.movement.trajectory import Trajectory
from caligo.synthesis.modulation import ROUNDS
from caligo.synthesis.phases import HIGHEST

PASSED = 4.2
"""Cube roots of the index by which side bands pass it before they are under -90 dB."""
STEEP = 4.0
"""How much faster than a sine's a table's phase modulation is taken to go: its edges are steep."""
SHARPEST = 4.0 / 3.0
"""Sample rates that an edge made by feedback reaches, for the square of its index and for each
operator of the circle."""
LOOPED_TABLE = 8.0
"""Sample rates that a table reaches that modulates itself by a radian, by measurement: more would
help it, too, but not much (its edge bends itself by many turns)."""
AUDIBLE = 0.5
"""The fraction of the sample rate under which nothing may fold."""
MOST_KEPT = 256
FACTORS = (2, 4, 8, 16)
"""How many times the sample rate operators are computed at: as often as they need, no more."""


def _edges(own: float, index: float, count: int, rate: float) -> float:
    """The highest component in Hz of `count` waves of `own` Hz that modulate each other.

    In each round each bends the wave of the one before; that feedback looks back by a time of its
    own bounds how sharp an edge becomes (`SHARPEST`, by measurement).
    """
    bent = own * sum(index**k for k in range(ROUNDS * count + 1))
    return min(bent, max(own * (1.0 + index), SHARPEST * rate * index * index * count))


def highest_components(
    order: Sequence[int],
    circle: Sequence[int],
    tables: Sequence[bool],
    hertz: Sequence[float],
    links: Sequence[tuple[int, int]],
    indices: Sequence[float],
    rate: float,
) -> list[float]:
    """The highest component of each operator in Hz ``[operators]``.

    Parameters
    ----------
    order, circle
        As `caligo.synthesis.modulation.order_of` finds them.
    tables
        Whether an operator's wave has overtones, up to half the sample rate.
    hertz
        Its highest frequency.
    links, indices
        ``(from, to)`` pairs and the largest index of each, in radians.

    Examples
    --------
    >>> round(highest_components([1, 0], [-1, -1], [False] * 2, [1000.0, 7000.0],
    ...       [(1, 0)], [8.0], 48000.0)[0], -3)
    116000.0
    """
    fastest, highest = [0.0] * len(hertz), [0.0] * len(hertz)
    for place, o in enumerate(order):
        group = circle[o]
        around = [p for p in order if group >= 0 and circle[p] == group]
        if group >= 0 and place > 0 and circle[order[place - 1]] == group:
            continue
        members = around or [o]
        speed, reach = max(hertz[p] for p in members), 0.0
        partials = 0.5 * rate / speed if speed > 0 and any(tables[p] for p in members) else 1.0
        for (source, to), index in zip(links, indices, strict=True):
            if to in members and source not in members:
                speed += index * fastest[source]
                reach += index * partials * fastest[source]
                reach += PASSED * math.cbrt(index * partials) * highest[source]
        own = max(hertz[p] for p in members) * max(partials, 1.0)
        if around:
            inside = [0.0] * len(hertz)
            for (source, to), index in zip(links, indices, strict=True):
                if to in around and source in around:
                    inside[to] += index
            own = _edges(speed * max(partials, 1.0), max(inside), len(around), rate)
            if partials > 1.0:
                own = max(own, LOOPED_TABLE * rate * max(inside))
            speed = max(speed, own)
        for p in members:
            fastest[p] = speed * (STEEP if tables[p] else 1.0)
            highest[p] = own + reach
    return highest


def factor_for(highest: float, rate: float) -> int:
    """The factor of the sample rate at which components up to `highest` Hz do not fold.

    Examples
    --------
    >>> factor_for(20_000.0, 48_000.0), factor_for(120_000.0, 48_000.0)
    (2, 4)
    """
    return next((f for f in FACTORS if f * rate - highest >= AUDIBLE * rate), FACTORS[-1])


class Reaching:
    """How often an operators source has to be sampled, voice by voice.

    Parameters
    ----------
    order, circle, links, tables
        See `highest_components`.
    trajectories
        Of each operator's ratio, hertz, offset and level, by these names.
    indices
        Of each link's index in radians.
    by_ratio
        Whether an operator follows the pitch.
    """

    def __init__(
        self,
        order: Sequence[int],
        circle: Sequence[int],
        links: Sequence[tuple[int, int]],
        tables: Sequence[bool],
        trajectories: Mapping[str, Sequence[Trajectory]],
        indices: Sequence[Trajectory],
        by_ratio: Sequence[bool],
        rate: float,
    ) -> None:
        self._order, self._circle, self._links = order, circle, links
        self._tables = tables
        self._trajectories, self._indices = trajectories, indices
        self._by_ratio, self._rate = by_ratio, rate
        self._known: dict[tuple[float, tuple[float, ...]], int] = {}

    def evict(self) -> None:
        """Find out anew, since something was edited."""
        self._known.clear()

    def factor(self, own: float, grown: Sequence[float]) -> int:
        """How many times the sample rate a voice needs, all its life.

        Parameters
        ----------
        own
            The highest that its pitch gets, in Hz.
        grown
            By what each operator grows for its key, as a factor.
        """
        key = (own, tuple(grown))
        if key not in self._known:
            if len(self._known) > MOST_KEPT:
                self._known.clear()
            self._known[key] = factor_for(self._highest(own, grown), self._rate)
        return self._known[key]

    def _highest(self, own: float, grown: Sequence[float]) -> float:
        """The highest component in Hz of all operators that are heard."""
        ratios, fixed, offsets, levels = (
            [t.reach()[1] for t in self._trajectories[name]]
            for name in ("ratio", "hertz", "offset", "level")
        )
        hertz = [
            max(0.0, min((ratio * own if follows else other) + offset, HIGHEST * self._rate))
            for ratio, other, offset, follows in zip(
                ratios, fixed, offsets, self._by_ratio, strict=True
            )
        ]
        indices = [
            t.reach()[1] * grown[a] for t, (a, _) in zip(self._indices, self._links, strict=True)
        ]
        found = highest_components(
            self._order, self._circle, self._tables, hertz, self._links, indices, self._rate
        )
        softest = self._trajectories["level"][0].parameter.low
        heard = (x for x, level in zip(found, levels, strict=True) if level > softest)
        return max(heard, default=0.0)
