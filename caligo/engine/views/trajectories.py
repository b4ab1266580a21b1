"""Trajectories: what modulators and moved parameters do over the whole length, without audio."""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from caligo.catalogue import module
from caligo.document.pitch import MIDDLE_C_OCTAVES
from caligo.document.score import Score
from caligo.document.sound import Sound
from caligo.engine.layers.pitch import LayerPitch
from caligo.engine.layers.voicing import Voicing
from caligo.movement.hold_still import HoldStill
from caligo.movement.moments import Moments
from caligo.movement.movement import Movement
from caligo.movement.notes import Floats, whole
from caligo.movement.readings import Reading, fights, read
from caligo.movement.trajectory import Trajectory

WITHIN = 4
"""Moments looked at within each point of a trajectory, so that quick movement shows as a band."""

TOGETHER = 32
"""Notes that are looked at at a time."""


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
    readings
        What can be read off each moved parameter, by address.
    spread
        The lowest and highest value over the sounding notes, where they differ, by address.
    two_sided
        The modulators that go from -1 to 1; the others go from 0 to 1.
    """

    times: Floats
    modulators: dict[str, Outline]
    parameters: dict[str, Outline]
    notes: dict[str, dict[str, list[float | None]]] = field(default_factory=dict)
    readings: dict[str, Reading] = field(default_factory=dict)
    spread: dict[str, tuple[Floats, Floats]] = field(default_factory=dict)
    two_sided: list[str] = field(default_factory=list)


def _reduce(values: Floats) -> Outline:
    first, *others = values.reshape(-1, WITHIN).T
    low, high = first.copy(), first.copy()
    for moments in others:
        np.minimum(low, moments, out=low)
        np.maximum(high, moments, out=high)
    return Outline(first.copy(), low, high)


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


def _where(shown: NDArray[np.bool_], values: Floats) -> list[float | None]:
    """The values at some of the points ``[points]``, none at the others."""
    return [value if there else None for value, there in zip(values.tolist(), shown, strict=True)]


class _Sounding:
    """All notes at some times, some at a time, with what modulators do in them computed once."""

    def __init__(self, voicing: Voicing, times: Floats) -> None:
        self._times = times
        notes = voicing.all
        self._chunks = [
            voicing.moments(times, notes.pick(slice(first, first + TOGETHER)))
            for first in range(0, len(notes), TOGETHER)
        ]

    def values(self, trajectory: Trajectory) -> Iterator[tuple[Floats, NDArray[np.bool_]]]:
        """For some notes at a time their values, and where they are held ``[notes, times]``."""
        for moments in self._chunks:
            since = self._times[None, :] - moments.notes.start[:, None]
            held = (since >= 0.0) & (since < moments.notes.length[:, None])
            yield trajectory.values(moments), held

    def spread(self, trajectory: Trajectory) -> tuple[Floats, Floats]:
        """The lowest and highest value over the sounding notes ``[times]``; NaN where none is."""
        low: Floats = np.full(len(self._times), np.inf)
        high: Floats = np.full(len(self._times), -np.inf)
        for values, held in self.values(trajectory):
            low = np.minimum(low, np.where(held, values, np.inf).min(axis=0))
            high = np.maximum(high, np.where(held, values, -np.inf).max(axis=0))
        low[np.isinf(low)] = high[np.isinf(high)] = np.nan
        return low, high


class TrajectoryView:
    """Looks at the trajectories of a sound over a score, without audio.

    Parameters
    ----------
    points
        Equally spaced moments of the whole, or of a stretch.
    """

    def __init__(
        self, sound: Sound, score: Score, points: int = 600, *, hold_still: HoldStill = False
    ) -> None:
        self._sound, self._score, self._points = sound, score, points
        self._movement = Movement(sound, score, hold_still=hold_still)
        self._voicing = Voicing(sound, score.notes, self._movement.setting.tempo)

    def _voicing_of(self, address: str) -> Voicing:
        """The voices that a parameter is heard in."""
        owner = address.split(".", 1)[0]
        layers = [layer for layer in self._sound.layers if layer.id == owner]
        return self._voicing.of(layers[0]) if layers else self._voicing

    def _of_first(self, voicing: Voicing, times: Floats) -> Moments:
        """Moments of the first note; of one as long as the score, where there is none."""
        first = voicing.all.row(0) if len(voicing.all) else whole(self._score.length)
        return voicing.moments(times, first)

    def times(self, span: tuple[float, float] | None = None) -> Floats:
        """Seconds of the points of a stretch, or of the whole ``[points]``."""
        start, end = span or (0.0, self._score.length)
        found: Floats = start + np.arange(self._points, dtype=np.float64) * (
            (end - start) / self._points
        )
        return found

    def notes(
        self, address: str, span: tuple[float, float] | None = None, *, most: int | None = None
    ) -> dict[str, list[float | None]]:
        """What a moved parameter does in each note, by the note's id; none before it begins.

        With `most`, only so many notes are given, those that are held in the stretch, and
        only while they are.
        """
        moved = self._movement.moved()
        if address not in moved:
            return {}
        voicing = self._voicing_of(address)
        times, voices = self.times(span), iter(voicing.voices)
        found: dict[str, list[float | None]] = {}
        for values, held in _Sounding(voicing, times).values(moved[address]):
            for row, here in enumerate(held):
                voice = next(voices)
                shown = times >= voice.start if most is None else here
                if most is None or here.any():
                    # A parameter that is the same in all notes has a single row.
                    found[voice.name] = _where(shown, values[min(row, len(values) - 1)])
                if len(found) == most:
                    return found
        return found

    def along_keys(self) -> dict[str, dict[str, list[float | None]]]:
        """Every parameter that goes along with the key, as each note has it.

        Values stand by the parameter's address and the note's id; none before it begins.
        """
        found: dict[str, dict[str, list[float | None]]] = {}
        for layer in self._sound.layers:
            octaves = {source.id: source.octave for source in layer.sources}
            for part in (*layer.sources, *layer.filters):
                pitch = LayerPitch(layer.id, self._movement, octaves.get(part.id, 0))
                for parameter in module(part.family, part.kind).parameters:
                    path = f"{layer.id}.{part.id}"
                    if parameter.follows_key:
                        follow = self._movement.trajectory(f"{path}.{parameter.follows_key}")
                        if follow.moved or follow.base:
                            address = f"{path}.{parameter.key}"
                            found[address] = self._along_key(address, follow, pitch)
        return found

    def _along_key(
        self, address: str, follow: Trajectory, pitch: LayerPitch
    ) -> dict[str, list[float | None]]:
        trajectory, times = self._movement.trajectory(address), self.times()
        found: dict[str, list[float | None]] = {}
        voicing = self._voicing_of(address)
        for row, voice in enumerate(voicing.voices):
            moments = voicing.moments(times, voicing.all.row(row))
            octaves = pitch.values(voicing, [voice], moments)[0] - MIDDLE_C_OCTAVES
            factor = np.exp2(octaves * follow.values(moments)[0] / 100.0)
            values = trajectory.values(moments)[0] * factor
            found[voice.name] = _where(times >= voice.start, values)
        return found

    def modulator(self, name: str) -> list[float]:
        """One modulator's values over the whole ``[points]``."""
        moments = self._of_first(self._voicing, self.times())
        found: list[float] = moments.modulation(self._movement.modulators[name], True)[0].tolist()
        return found

    def probe(self, span: tuple[float, float] | None = None) -> Trajectories:
        """Every modulator and moved parameter over a stretch, or over the whole.

        What differs by note is shown for the note that began last.
        """
        movement, voicing = self._movement, self._voicing
        start, end = span or (0.0, self._score.length)
        step = (end - start) / (self._points * WITHIN)
        times = start + np.arange(self._points * WITHIN, dtype=np.float64) * step
        shared = self._of_first(voicing, times)
        found = Trajectories(
            times[::WITHIN],
            {
                name: _reduce(shared.modulation(modulator, True)[0])
                for name, modulator in movement.modulators.items()
            },
            {},
            two_sided=[name for name, m in movement.modulators.items() if m.bipolar],
        )
        moved = movement.moved()
        heard_in = {path: self._voicing_of(path) for path in moved}
        notes = {
            id(own): (_newest_note(self._of_first(own, times)), _Sounding(own, found.times))
            for own in heard_in.values()
        }
        for path, trajectory in moved.items():
            by_note, sounding = notes[id(heard_in[path])]
            if trajectory.shared:
                values = trajectory.values(shared)[0]
            else:
                values = np.empty(len(times))
                for where, moments in by_note:
                    values[where] = trajectory.values(moments)[0]
            if trajectory.differs_by_note:
                found.spread[path] = sounding.spread(trajectory)
            found.parameters[path] = _reduce(values)
            found.readings[path] = read(trajectory.parameter, values, step, trajectory.limits())
        conflicts = fights(self._sound, {path: moved[path].parameter for path in found.parameters})
        for path, sentence in conflicts.items():
            found.readings[path].words.append(sentence)
        return found


def rolls(
    sound: Sound, score: Score, modulator: str, seeds: Sequence[int], points: int = 96
) -> dict[int, list[float]]:
    """What a modulator would do with other seeds: values over the length, by seed ``[points]``."""
    found = {}
    for seed in seeds:
        other = sound.model_copy(deep=True)
        for part in other.modulators:
            if part.id == modulator:
                part.seed = seed
        view = TrajectoryView(other, score, points)
        found[seed] = view.modulator(modulator)
    return found


def trajectories(
    sound: Sound,
    score: Score,
    points: int = 600,
    *,
    hold_still: HoldStill = False,
    each_note: bool = False,
) -> Trajectories:
    """Every modulator and moved parameter over the score; nothing is rendered.

    What differs by note is shown for the note that began last.

    Parameters
    ----------
    sound : Sound
    score : Score
    points : int, optional
        Equally spaced moments, from the start on.
    hold_still : bool or Frozen, optional
        Stop all movement: at rest, or as it is at a moment.
    each_note : bool, optional
        Add what differs by note for every note apart; what goes along with the key as each note
        has it.

    Returns
    -------
    Trajectories
        Values in the parameters' own units ``[points]``.

    Examples
    --------
    >>> from caligo.document import read_sound
    >>> from caligo.document.held import held_chord
    >>> layer = {"id": "a", "name": "A", "source": {"kind": "wavetable"}}
    >>> sound = read_sound({"name": "Plain", "layers": [layer]})
    >>> trajectories(sound, held_chord("A2", 5.0), 5).times.tolist()
    [0.0, 1.0, 2.0, 3.0, 4.0]
    """
    view = TrajectoryView(sound, score, points, hold_still=hold_still)
    found = view.probe()
    if each_note:
        found.notes.update({path: view.notes(path) for path in found.spread})
        found.notes.update(view.along_keys())
    return found
