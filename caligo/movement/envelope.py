"""Envelopes as functions of the time since a note's start: delay, attack, hold, decay,
sustain and release, each stage with a bend."""

from __future__ import annotations

import math

import numpy as np
from numba import njit
from numpy.typing import NDArray

from caligo.catalogue import Module, Parameter, register
from caligo.catalogue.parts.amplitude import ENVELOPE_BENDS, envelope_stages
from caligo.document.sound import Part
from caligo.document.tempo import TempoMap
from caligo.movement.modulator import Modulator
from caligo.movement.notes import Floats, Notes, seconds

STEEPEST = 6.0
"""Exponent of a fully bent stage: it covers 95 % of its way in half its time."""
FADE_OUT = 0.02
"""Seconds in which a note that has to make room falls silent."""


@njit(cache=True, nogil=True)
def bent(x: float, bend: float) -> float:
    """A way from 0 to 1 as x goes from 0 to 1; early for a bend above zero, late below."""
    x = min(max(x, 0.0), 1.0)
    if abs(bend) < 1e-6:
        return x
    return (1.0 - math.exp(-bend * x)) / (1.0 - math.exp(-bend))


@njit(cache=True, nogil=True)
def _held(
    since: float,
    delay: float,
    attack: float,
    hold: float,
    decay: float,
    sustain: float,
    attack_bend: float,
    decay_bend: float,
) -> float:
    """The envelope before its release, `since` seconds after the note's start."""
    x = since - delay
    if x < 0.0:
        return 0.0
    if x < attack:
        return bent(x / attack, attack_bend)
    x -= attack + hold
    if x <= 0.0:
        return 1.0
    if x < decay:
        return 1.0 + (sustain - 1.0) * bent(x / decay, decay_bend)
    return sustain


@njit(cache=True, nogil=True)
def envelope_course(
    times: np.ndarray,
    start: np.ndarray,
    length: np.ndarray,
    stages: np.ndarray,
    sustain: float,
    bends: np.ndarray,
    out: np.ndarray,
) -> None:
    """The envelope in [0, 1] at `times` [s] for each note.

    Parameters
    ----------
    start, length
        Seconds ``[notes]``; the length is how long the note is held.
    stages
        Delay, attack, hold, decay and release in seconds ``[5, notes]``.
    bends
        Attack, decay and release bend, -1 to 1 ``[3]``.
    out
        ``[notes, times]``
    """
    for row in range(len(start)):
        delay, attack, hold, decay, release = stages[:, row]
        top = _held(
            length[row],
            delay,
            attack,
            hold,
            decay,
            sustain,
            STEEPEST * bends[0],
            STEEPEST * bends[1],
        )
        for k in range(len(times)):
            since = times[k] - start[row]
            if since < 0.0:
                out[row, k] = 0.0
            elif since < length[row]:
                out[row, k] = _held(
                    since,
                    delay,
                    attack,
                    hold,
                    decay,
                    sustain,
                    STEEPEST * bends[0],
                    STEEPEST * bends[1],
                )
            elif since - length[row] < release:
                x = (since - length[row]) / release
                out[row, k] = top * (1.0 - bent(x, STEEPEST * bends[2]))
            else:
                out[row, k] = 0.0


def stage_seconds(part: Part, notes: Notes, tempo: TempoMap) -> NDArray[np.float64]:
    """Delay, attack, hold, decay and release of an envelope in seconds ``[5, notes]``."""
    keys = ("delay", "attack", "hold", "decay", "release")
    return np.stack([seconds(part.time(key), notes, tempo) for key in keys])


def stage_bends(part: Part) -> NDArray[np.float64]:
    """Attack, decay and release bend, -1 to 1 ``[3]``."""
    return np.array(
        [part.number(key) / 100.0 for key in ("attack_bend", "decay_bend", "release_bend")]
    )


@register(
    Module(
        family="modulator",
        kind="envelope",
        name="Envelope",
        help="A course that each note starts: rise, hold, fall, stay, die away.",
        parameters=(
            *envelope_stages(attack=10.0, hold=0.0, decay=10.0, release=5.0),
            Parameter(
                "sustain",
                "Sustain",
                "Where it stays while the note is held.",
                unit="%",
                high=100.0,
                default=50.0,
            ),
            *ENVELOPE_BENDS,
        ),
    )
)
class Envelope(Modulator):
    """A free envelope, to be routed anywhere."""

    bipolar = False

    def values(self, times: Floats, notes: Notes) -> Floats:
        """See `Modulator.values`; in [0, 1]."""
        out = np.empty((len(notes), len(times)))
        envelope_course(
            times,
            notes.start,
            notes.length,
            stage_seconds(self.part, notes, self.setting.tempo),
            self.part.number("sustain") / 100.0,
            stage_bends(self.part),
            out,
        )
        return out
