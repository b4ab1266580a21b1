"""Trajectories: what modulators and moved parameters do over the whole length, without audio."""

from __future__ import annotations

import itertools
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from caligo.catalogue import Moves
from caligo.document.score import Score
from caligo.document.sound import Sound
from caligo.engine.voicing import Voicing
from caligo.movement.notes import Floats, whole
from caligo.movement.routes import Frame, Movement

WITHIN = 4
"""Moments looked at within each point of a trajectory, so that quick movement shows as a band."""


@dataclass(frozen=True, slots=True)
class Trajectory:
    """A course over time: middle, lowest and highest at each point ``[points]``."""

    middle: NDArray[np.float64]
    low: NDArray[np.float64]
    high: NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Trajectories:
    """Modulators by id and moved parameters by address, at the same points in time."""

    times: Floats
    modulators: dict[str, Trajectory]
    parameters: dict[str, Trajectory]


def _reduce(values: Floats) -> Trajectory:
    rows = values.reshape(-1, WITHIN)
    return Trajectory(rows[:, 0].copy(), rows.min(axis=1), rows.max(axis=1))


def _one_voice_frame(voicing: Voicing, times: Floats) -> list[tuple[slice, Frame]]:
    """Frames for the newest note at each stretch of time, for what differs by note."""
    newest = voicing.newest(times)
    edges = [0, *(np.flatnonzero(np.diff(newest)) + 1).tolist(), len(times)]
    frames = []
    for a, b in itertools.pairwise(edges):
        if a < b:
            index = max(int(newest[a]), 0)
            notes = voicing.all.row(index) if len(voicing.all) else whole(1.0)
            frames.append((slice(a, b), voicing.frame(times[a:b], notes)))
    return frames


def trajectories(
    sound: Sound, score: Score, points: int = 600, *, hold_still: bool = False
) -> Trajectories:
    """Every modulator and moved parameter over the score, at `points` equally spaced moments.

    What differs by note is shown for the note that began last. Nothing is rendered.
    """
    movement = Movement(sound, score, hold_still=hold_still)
    voicing = Voicing(sound, score.notes, movement.setting.tempo)
    step = score.length / (points * WITHIN)
    times = np.arange(points * WITHIN, dtype=np.float64) * step
    shared = voicing.frame(times, voicing.all.row(0) if len(voicing.all) else whole(score.length))
    by_note = _one_voice_frame(voicing, times)
    modulators = {
        name: _reduce(shared.course(modulator, True)[0])
        for name, modulator in movement.modulators.items()
    }
    parameters: dict[str, Trajectory] = {}
    for path, track in movement.moved().items():
        if track.parameter.moves is Moves.PER_NOTE:
            values = np.empty(len(times))
            for where, frame in by_note:
                values[where] = track.values(frame)[0]
        else:
            values = track.values(shared)[0]
        parameters[path] = _reduce(values)
    return Trajectories(times[::WITHIN], modulators, parameters)
