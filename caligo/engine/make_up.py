"""Make-up: the level behind an effect at which it makes a sound neither louder nor softer.

Moments of the length are rendered, and the loudness ahead of the effect and behind it compared:
mean power under the K-weighting of ITU-R BS.1770-4. It is the loudness of the signal that runs
through the effect, not of the whole sound.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from caligo.document.score import Score
from caligo.document.sound import Bus, Layer, Sound
from caligo.engine.engine import DEFAULT_RATE, Engine, Interrupted
from caligo.engine.metering import MASTER, input_of
from caligo.measure.loudness import LoudnessMeter
from caligo.movement.stillness import Stillness
from caligo.signal.ticks import TICK, Span

MOMENTS = 10
"""Moments of the length that are listened to."""
HEARD_TICKS = 1_500
"""Ticks of a moment: 2 s at 48 kHz."""
ROLL = 2.0
"""Seconds of run-in of a moment."""
SILENT = 1e-10
"""A mean power, 100 dB under full scale, below which nothing is compared."""


class _Both:
    """Keeps the signals of two stages as they are."""

    def __init__(self, ahead: str, behind: str) -> None:
        self.heard: dict[str, NDArray[np.float32]] = {}
        self._kept = (ahead, behind)

    def wants(self, stage: str) -> bool:
        """See `Meter`."""
        return stage in self._kept

    def add(self, stage: str, span: Span, signal: NDArray[np.float32]) -> None:
        """See `Meter`."""
        if self.wants(stage):
            self.heard[stage] = signal.copy()


def stage_ahead(sound: Sound, address: str) -> str | None:
    """The stage whose signal goes into an effect of a layer, a bus or the master, if it is one.

    Examples
    --------
    >>> from caligo.document import read_sound
    >>> effects = [{"id": "one", "kind": "chorus"}, {"id": "two", "kind": "reverb"}]
    >>> layer = {"id": "ground", "name": "Ground", "source": {"kind": "noise"}}
    >>> buses = [{"id": "nave", "name": "Nave", "effects": effects}]
    >>> sound = read_sound({"name": "A", "layers": [layer], "buses": buses})
    >>> stage_ahead(sound, "nave.two"), stage_ahead(sound, "nave.one")
    ('nave.one', 'nave.input')
    """
    owners: list[Layer | Bus] = [*sound.layers, *sound.buses]
    for owner in owners:
        first = (
            f"{owner.id}.{owner.envelope.id}" if isinstance(owner, Layer) else input_of(owner.id)
        )
        effects = owner.inserts if isinstance(owner, Layer) else owner.effects
        stages = [first, *(f"{owner.id}.{effect.id}" for effect in effects)]
        if address in stages[1:]:
            return stages[stages.index(address) - 1]
    stages = [input_of(MASTER), *(f"{MASTER}.{effect.id}" for effect in sound.master.effects)]
    return stages[stages.index(address) - 1] if address in stages[1:] else None


def make_up(
    sound: Sound,
    score: Score,
    address: str,
    *,
    rate: int = DEFAULT_RATE,
    hold_still: Stillness = False,
    interrupted: Interrupted = lambda: False,
) -> float | None:
    """Decibels to add behind an effect so that it leaves the loudness as it was.

    None where there is no such effect, where nothing is heard, or where it was interrupted.

    Parameters
    ----------
    address
        The effect's, such as ``nave.reverb``; in the chain of a layer, a bus or the master.
    """
    ahead = stage_ahead(sound, address)
    if ahead is None:
        return None
    both = _Both(ahead, address)
    engine = Engine(sound, score, rate=rate, hold_still=hold_still, rough=True, meter=both)
    heard = min(HEARD_TICKS, engine.length_ticks)
    power = {ahead: 0.0, address: 0.0}
    for moment in range(MOMENTS):
        if interrupted():
            return None
        first = int((moment + 0.5) / MOMENTS * (engine.length_ticks - heard))
        both.heard.clear()
        engine.glance(first, heard, ROLL)
        for stage, signal in both.heard.items():
            power[stage] += _weighted_power(signal[:, -heard * TICK :], rate)
    if min(power.values()) < SILENT * MOMENTS:
        return None
    return 10.0 * math.log10(power[ahead] / power[address])


def _weighted_power(signal: NDArray[np.float32], rate: int) -> float:
    """The mean power of ``[2, samples]`` under K-weighting, both sides added."""
    meter = LoudnessMeter(rate)
    meter.add(signal)
    return float(np.mean(meter.powers)) if meter.powers else 0.0
