"""Seams: how a loop goes over from its end to its start, to be heard and seen."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from caligo.material.cards import Loop

Samples = NDArray[np.float32]

LARGEST_FADE = 0.9
"""The longest crossfade as a fraction of the loop."""
AFTER = 0.05
"""Seconds that follow a loop's last sample, for those who resample it."""
AROUND = 0.01
"""Seconds of a seam to each side of the join."""
SHORTEST = 8
"""Samples to each side that are needed to tell a jump from the sound."""


def bounds(
    start: float, end: float, fade: float, rate: int, frames: int
) -> tuple[float, float, float]:
    """A loop's start, end and crossfade from seconds to samples, as far as the recording allows.

    An end of 0 is the recording's end.
    """
    last = min(end * rate, float(frames)) if end > 0.0 else float(frames)
    first = min(start * rate, last)
    return first, last, max(0.0, min(fade * rate, first, LARGEST_FADE * (last - first)))


def as_looped(samples: Samples, rate: int, loop: Loop, lead: float) -> Samples:
    """A loop as the sampler plays it ``[channels, frames]``: `lead` seconds before, then one round.

    The first `AFTER` seconds of the next round follow. Ends are rounded to whole samples.
    """
    ends = bounds(loop.start, loop.end, loop.fade, rate, samples.shape[1])
    start, end, fade = (round(x) for x in ends)
    body = samples[:, start:end].copy()
    if end <= start:
        return body
    if fade > 0:
        blend = np.arange(fade, dtype=np.float32) / fade
        body[:, -fade:] += blend * (samples[:, start - fade : start] - body[:, -fade:])
    before = samples[:, max(0, start - round(lead * rate)) : start]
    rounds = np.resize(np.arange(body.shape[1]), round(AFTER * rate))
    return np.concatenate([before, body, body[:, rounds]], axis=1)


@dataclass(frozen=True, slots=True)
class Seam:
    """What lies around the join of a loop's end and start.

    Parameters
    ----------
    points
        Both channels' mean ``[points]``, the join in the middle.
    step
        How far the join jumps out of the line, in dB of the peak around it; None where it jumps
        no further than the sound itself does nearby.
    """

    points: Samples
    step: float | None


def seam(samples: Samples, rate: int, loop: Loop) -> Seam:
    """The seam of a loop in a recording ``[channels, samples]``.

    A jump is what a cubic through the four samples before does not foretell (Newton's forward
    differences); the sound's own jumps are the largest such around the join.
    """
    whole = as_looped(samples, rate, loop, 0.0).mean(axis=0).astype(np.float64)
    length = len(whole) - round(AFTER * rate)
    # Of a short loop no more than one round to each side: its other joins stay out.
    reach = min(round(AROUND * rate), length)
    if reach < SHORTEST:
        return Seam(np.zeros(0, np.float32), None)
    around = np.concatenate([whole[length - reach : length], whole[:reach]])
    points = around.astype(np.float32)
    jumps = np.abs(np.diff(around, 4))
    # Entry k compares sample k + 4 with the four before it, so four of them look over the join.
    first = reach - 4
    own = float(np.concatenate([jumps[:first], jumps[reach:]]).max())
    if jumps[first] <= own:
        return Seam(points, None)
    return Seam(points, 20.0 * math.log10(jumps[first] / float(np.abs(around).max())))
