"""Trajectories: what modulators and moved parameters do over the whole length, without audio."""

from __future__ import annotations

import itertools
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from caligo.document.score import Score
from caligo.document.sound import Sound
from caligo.engine.voicing import Voicing
from caligo.movement.moments import Moments
from caligo.movement.movement import Movement
from caligo.movement.notes import Floats, whole
from caligo.movement.trajectory import Trajectory

WITHIN = 4
"""Moments looked at within each point of a trajectory, so that quick movement shows as a band."""


@dataclass(frozen=True, slots=True)
class Outline:
    """A trajectory in short: middle, lowest and highest at each point ``[points]``."""

    middle: NDArray[np.float64]
    low: NDArray[np.float64]
    high: NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Trajectories:
    """Modulators by id and moved parameters by address, at the same points in time.

    Parameters
    ----------
    notes
        What differs by note, by address and then by the note's id: values at the points, none
        before it begins. Filled where it is asked for.
    """

    times: Floats
    modulators: dict[str, Outline]
    parameters: dict[str, Outline]
    notes: dict[str, dict[str, list[float | None]]] = field(default_factory=dict)


def _reduce(values: Floats) -> Outline:
    rows = values.reshape(-1, WITHIN)
    return Outline(rows[:, 0].copy(), rows.min(axis=1), rows.max(axis=1))


def _newest_note(moments: Moments) -> list[tuple[slice, Moments]]:
    """Moments of the newest note at each stretch of time, for what differs by note."""
    newest, times, started = moments.newest, moments.times, moments.started
    edges = [0, *(np.flatnonzero(np.diff(newest)) + 1).tolist(), len(times)]
    found = []
    for a, b in itertools.pairwise(edges):
        if a < b:
            index = max(int(newest[a]), 0)
            note = started.row(index) if len(started) else whole(1.0)
            found.append((slice(a, b), Moments(times[a:b], note, started)))
    return found


def _by_note(
    trajectory: Trajectory, voicing: Voicing, times: Floats
) -> dict[str, list[float | None]]:
    """The values of every note at some times, by the voice's name; none before it begins."""
    found: dict[str, list[float | None]] = {}
    for row, voice in enumerate(voicing.voices):
        values = trajectory.values(voicing.moments(times, voicing.all.row(row)))[0]
        found[voice.name] = [
            None if time < voice.start else float(value)
            for time, value in zip(times, values, strict=True)
        ]
    return found


def trajectories(
    sound: Sound,
    score: Score,
    points: int = 600,
    *,
    hold_still: bool = False,
    each_note: bool = False,
) -> Trajectories:
    """Every modulator and moved parameter over the score, at `points` equally spaced moments.

    What differs by note is shown for the note that began last, and with `each_note` for every
    note apart. Nothing is rendered.
    """
    movement = Movement(sound, score, hold_still=hold_still)
    voicing = Voicing(sound, score.notes, movement.setting.tempo)
    step = score.length / (points * WITHIN)
    times = np.arange(points * WITHIN, dtype=np.float64) * step
    first = voicing.all.row(0) if len(voicing.all) else whole(score.length)
    shared = voicing.moments(times, first)
    by_note = _newest_note(shared)
    modulators = {
        name: _reduce(shared.modulation(modulator, True)[0])
        for name, modulator in movement.modulators.items()
    }
    parameters: dict[str, Outline] = {}
    notes: dict[str, dict[str, list[float | None]]] = {}
    for path, trajectory in movement.moved().items():
        if trajectory.shared:
            values = trajectory.values(shared)[0]
        else:
            values = np.empty(len(times))
            for where, moments in by_note:
                values[where] = trajectory.values(moments)[0]
            if each_note:
                notes[path] = _by_note(trajectory, voicing, times[::WITHIN])
        parameters[path] = _reduce(values)
    return Trajectories(times[::WITHIN], modulators, parameters, notes)
