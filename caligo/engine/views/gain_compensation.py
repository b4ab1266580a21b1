"""Make-up: the level behind an effect at which it makes a sound neither louder nor softer.

Moments of the length are rendered, and the loudness ahead of the effect and behind it compared:
mean power under the K-weighting of ITU-R BS.1770-4. It is the loudness of the signal that runs
through the effect, not of the whole sound.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from caligo.document.addresses import parts
from caligo.document.score import Score
from caligo.document.sound import Sound
from caligo.engine.render.engine import DEFAULT_RATE, Engine, Interrupted
from caligo.measure.loudness import LoudnessMeter
from caligo.movement.hold_still import HoldStill
from caligo.signal.ticks import TICK

MOMENTS = 10
"""Moments of the length that are listened to."""
HEARD_TICKS = 1_500
"""Ticks of a moment: 2 s at 48 kHz."""
ROLL = 2.0
"""Seconds of run-in of a moment."""
SILENT = 1e-10
"""A mean power, 100 dB under full scale, below which nothing is compared."""


def compensated_level(
    sound: Sound,
    score: Score,
    address: str,
    *,
    rate: int = DEFAULT_RATE,
    hold_still: HoldStill = False,
    interrupted: Interrupted = lambda: False,
) -> float | None:
    """Decibels to add behind an effect so that it leaves the loudness as it was.

    None where there is no such effect, where nothing is heard, or where it was interrupted.

    Parameters
    ----------
    address
        The effect's, such as ``nave.reverb`` or ``nave.bands.high.chorus``.
    """
    if not any(path == address and part.family == "effect" for path, _, part in parts(sound)):
        return None
    engine = Engine(sound, score, rate=rate, hold_still=hold_still, preview=True, begins=False)
    entrance = engine.entrances().get(address)
    if entrance is None:
        return None
    entrance.recording = True
    heard = min(HEARD_TICKS, engine.length_ticks)
    ahead, behind = 0.0, 0.0
    for moment in range(MOMENTS):
        if interrupted():
            return None
        first = int((moment + 0.5) / MOMENTS * (engine.length_ticks - heard))
        entrance.given = entrance.left = None
        engine.glance(first, heard, ROLL)
        ahead += _weighted_power(entrance.given, heard, rate)
        behind += _weighted_power(entrance.left, heard, rate)
    if min(ahead, behind) < SILENT * MOMENTS:
        return None
    return 10.0 * math.log10(ahead / behind)


def _weighted_power(signal: NDArray[np.float32] | None, ticks: int, rate: int) -> float:
    """The mean power of the last ticks of ``[streams, 2, samples]`` under K-weighting."""
    if signal is None:
        return 0.0
    meter = LoudnessMeter(rate)
    meter.add(np.ascontiguousarray(signal[0, :, -ticks * TICK :]))
    return float(np.mean(meter.powers)) if meter.powers else 0.0
