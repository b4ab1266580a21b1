"""Envelopes as functions of the time since a note's start.

Delay, attack, hold, decay, sustain and release, each stage with a bend.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from caligo.kernels import device, kernel
from caligo.movement.curvature import STEEPEST, curved
from caligo.movement.modulator import Surroundings
from caligo.movement.moments import Moments
from caligo.movement.notes import Floats, Notes, seconds
from caligo.movement.trajectory import GLIDE, Trajectory

FADE_OUT = 0.02
"""Seconds in which a note that has to make room falls silent."""
SHORTEST_TURN = 1e-3
"""Seconds below which stages do not come round."""
STAGES = ("delay", "attack", "hold", "decay", "release")
BENDS = ("attack_bend", "decay_bend", "release_bend")
SOURCE_KEYS = ("delay", "attack", "attack_bend", "release", "release_bend")


@device
def _held(
    since: float,
    delay: float,
    attack: float,
    hold: float,
    decay: float,
    sustain: float,
    attack_bend: float,
    decay_bend: float,
    repeats: bool,
) -> float:
    """The envelope before its release, `since` seconds after the note's start.

    Where it repeats, it rises again from the sustain level as soon as it has fallen to it.
    """
    x = since - delay
    if x < 0.0:
        return 0.0
    low = 0.0
    turn = attack + hold + decay
    if repeats and x >= turn and turn > SHORTEST_TURN:
        x, low = x % turn, sustain
    if x < attack:
        return low + (1.0 - low) * curved(x / attack, attack_bend)
    x -= attack + hold
    if x <= 0.0:
        return 1.0
    if x < decay:
        return 1.0 + (sustain - 1.0) * curved(x / decay, decay_bend)
    return sustain


@kernel("f8[::1], f8[::1], f8[::1], f8[:, ::1], f8[::1], f8[:, ::1], b1, f8[:, ::1]")
def envelope_values(
    times: np.ndarray,
    start: np.ndarray,
    length: np.ndarray,
    stages: np.ndarray,
    sustain: np.ndarray,
    curvatures: np.ndarray,
    repeats: bool,
    out: np.ndarray,
) -> None:
    """The envelope in [0, 1] at `times` [s] for each note.

    Parameters
    ----------
    start, length
        Seconds ``[notes]``; the length is how long the note is held.
    stages
        Delay, attack, hold, decay and release in seconds ``[5, notes]``.
    sustain
        Level while the note is held, 0 to 1 ``[notes]``.
    curvatures
        Attack, decay and release bend, -1 to 1 ``[3, notes]``.
    repeats
        Whether attack, hold and decay come round while the note is held.
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
            sustain[row],
            STEEPEST * curvatures[0, row],
            STEEPEST * curvatures[1, row],
            repeats,
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
                    sustain[row],
                    STEEPEST * curvatures[0, row],
                    STEEPEST * curvatures[1, row],
                    repeats,
                )
            elif since - length[row] < release:
                x = (since - length[row]) / release
                out[row, k] = top * (1.0 - curved(x, STEEPEST * curvatures[2, row]))
            else:
                out[row, k] = 0.0


class Envelope:
    """An envelope that each note takes up as it starts.

    Times, levels and bends are read once, as the note starts, so that velocity, key or a slow
    movement can set them. An edit while listening is taken up by notes that sound, in `GLIDE`
    seconds.
    """

    def __init__(self, movement: Surroundings) -> None:
        self._tempo = movement.setting.tempo

    @property
    def _all(self) -> Sequence[Trajectory]:
        """What it depends on."""
        raise NotImplementedError

    def _with(self, moments: Moments, of: Callable[[Trajectory], Floats]) -> Floats:
        """The envelope where `of` gives each trajectory's values ``[notes]``."""
        raise NotImplementedError

    def _seconds(self, values: Floats, of: Trajectory, notes: Notes) -> Floats:
        return seconds(values, of.unit, notes, self._tempo)

    def values(self, moments: Moments) -> Floats:
        """The envelope in [0, 1] ``[notes, times]``."""
        out = self._with(moments, lambda t: t.at_starts(moments))
        changes = [t.rest.changed_at for t in self._all if t.rest.changed_at is not None]
        if not changes or moments.times[0] >= max(changes) + GLIDE:
            return out

        def before(trajectory: Trajectory) -> Floats:
            offset = 0.0
            if trajectory.rest.changed_at == max(changes):
                offset = trajectory.rest.before - trajectory.rest.now
            return trajectory.at_starts(moments) + offset

        old = self._with(moments, before)
        fade = np.clip((moments.times - max(changes)) / GLIDE, 0.0, 1.0)
        return old + fade * (out - old)


class NoteEnvelope(Envelope):
    """Delay, attack, hold, decay, sustain and release.

    Parameters
    ----------
    address
        Where the envelope's parameters are.
    level
        From the sustain's unit to a factor.
    repeats
        Whether attack, hold and decay come round while the note is held.
    """

    def __init__(
        self,
        movement: Surroundings,
        address: str,
        level: Callable[[Floats], Floats],
        *,
        repeats: bool = False,
    ) -> None:
        super().__init__(movement)
        self._repeats = repeats
        self._level = level
        self._stages = [movement.trajectory(f"{address}.{key}") for key in STAGES]
        self._sustain = movement.trajectory(f"{address}.sustain")
        self._bends = [movement.trajectory(f"{address}.{key}") for key in BENDS]

    @property
    def _all(self) -> Sequence[Trajectory]:
        return (*self._stages, self._sustain, *self._bends)

    def release(self, moments: Moments) -> Floats:
        """How long each note dies away, in seconds ``[notes]``."""
        return self._seconds(self._stages[-1].at_starts(moments), self._stages[-1], moments.notes)

    def _with(self, moments: Moments, of: Callable[[Trajectory], Floats]) -> Floats:
        notes = moments.notes
        out = np.empty((len(notes), len(moments.times)))
        envelope_values(
            np.ascontiguousarray(moments.times),
            notes.start,
            notes.length,
            np.stack([self._seconds(of(t), t, notes) for t in self._stages]),
            self._level(of(self._sustain)),
            np.stack([of(t) / 100.0 for t in self._bends]),
            self._repeats,
            out,
        )
        return out


class SourceEnvelope(Envelope):
    """Delay, attack and release of one source of a layer, at full level between them.

    Parameters
    ----------
    address
        The source's address.
    """

    def __init__(self, movement: Surroundings, address: str) -> None:
        super().__init__(movement)
        own = {key: movement.trajectory(f"{address}.own_{key}") for key in SOURCE_KEYS}
        self._delay, self._attack, self._release = own["delay"], own["attack"], own["release"]
        self._attack_bend, self._release_bend = own["attack_bend"], own["release_bend"]

    @property
    def _all(self) -> Sequence[Trajectory]:
        return (
            self._delay, self._attack, self._release, self._attack_bend, self._release_bend
        )  # fmt: skip

    def _with(self, moments: Moments, of: Callable[[Trajectory], Floats]) -> Floats:
        notes = moments.notes
        none = np.zeros(len(notes))
        out = np.empty((len(notes), len(moments.times)))
        delay, attack, release = (
            self._seconds(of(t), t, notes) for t in (self._delay, self._attack, self._release)
        )
        envelope_values(
            np.ascontiguousarray(moments.times),
            notes.start,
            notes.length,
            np.stack([delay, attack, none, none, release]),
            np.ones(len(notes)),
            np.stack([of(self._attack_bend) / 100.0, none, of(self._release_bend) / 100.0]),
            False,
            out,
        )
        return out
