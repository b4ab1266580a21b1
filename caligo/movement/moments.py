"""Moments and notes for which movement is wanted, with what was already computed for them."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Hashable
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from caligo.document.sound import Modulator as ModulatorPart
from caligo.document.sound import Rule
from caligo.movement.notes import Floats, Notes, whole
from caligo.movement.setting import Setting

ModulatorValues = dict[tuple[str, bool, str, Rule], Floats]
"""Modulators' values by id, whether they are shared by all notes, what they are for, and whose
hold."""


class ValueSource(Protocol):
    """What asks for values knows of a modulator; see `caligo.movement.modulator.Modulator`."""

    part: ModulatorPart
    setting: Setting

    @property
    def bipolar(self) -> bool:
        """Whether the values lie in [-1, 1]; otherwise they lie in [0, 1]."""

    @property
    def per_note(self) -> bool:
        """Whether each note has values of its own."""

    @property
    def per_target(self) -> bool:
        """Whether each parameter that it moves has values of its own."""

    def towards(self, target: str) -> ValueSource:
        """The modulator as the parameter at an address sees it."""

    def values(self, moments: Moments) -> Floats:
        """Its values ``[notes, times]`` for the moments' notes."""


class Moments:
    """Moments and notes for which movement is wanted; modulators are computed once in it.

    Parameters
    ----------
    times
        Seconds ``[times]``, rising.
    notes
        The notes that per-note parameters have a row for.
    started
        All notes in the order in which they start: shared parameters follow the newest.
    shared
        Where what does not differ by note is kept; given to moments at the same times.
    """

    def __init__(
        self,
        times: Floats,
        notes: Notes,
        started: Notes,
        shared: ModulatorValues | None = None,
    ) -> None:
        self.times = times
        self.notes = notes
        self.started = started
        self._newest: NDArray[np.int64] | None = None
        self._own: ModulatorValues = {}
        self._shared: ModulatorValues = {} if shared is None else shared
        self._whole: Moments | None = None
        self._first = 0
        self._kept: dict[Hashable, Floats] = {}

    @property
    def newest(self) -> NDArray[np.int64]:
        """At each of the times, the newest note's row in `started`, or -1 ``[times]``."""
        if self._newest is None:
            self._newest = np.searchsorted(self.started.start, self.times, side="right") - 1
        return self._newest

    def at(self, times: Floats) -> Moments:
        """Other `times` ``[times]``, for the same notes."""
        return Moments(times, self.notes, self.started)

    def part(self, first: int, count: int) -> Moments:
        """`count` of the times, from index `first` on, for a block of what was planned at once.

        See `for_all_notes`.
        """
        found = Moments(self.times[first : first + count], self.notes, self.started)
        found._whole, found._first = self, first
        return found

    @property
    def is_part(self) -> bool:
        """Whether they are cut from more moments, see `part`."""
        return self._whole is not None

    def for_all_notes(self, key: Hashable, compute: Callable[[Moments], Floats]) -> Floats:
        """Values ``[rows, times]`` in which no notes differ; not to be written to.

        Of moments that are part of more, those of all are computed once and kept under `key`:
        asking for the values of a short block costs as much as the values themselves.
        """
        if self._whole is None:
            return compute(self)
        kept = self._whole._kept
        if key not in kept:
            kept[key] = compute(self._whole)
        # Without gaps, so that a kernel takes the same instructions whatever the block.
        part = kept[key][:, self._first : self._first + len(self.times)]
        return np.ascontiguousarray(part)

    def of(self, notes: Notes) -> Moments:
        """The same times, for other notes; what is shared by all notes is computed once."""
        return Moments(self.times, notes, self.started, self._shared)

    def modulation(
        self, modulator: ValueSource, shared: bool, target: str = "", rule: Rule = "newest"
    ) -> Floats:
        """A modulator's values: ``[1, times]`` where shared, else ``[notes, times]``.

        Not to be written to.

        Parameters
        ----------
        target
            The address of what is moved, for modulators that have values for each.
        rule
            Whose values hold where notes share what is moved, see `caligo.document.sound.Route`.
        """
        same = shared or not modulator.per_note
        known = self._shared if same else self._own
        ruled: Rule = rule if shared and modulator.per_note else "newest"
        key = (modulator.part.id, same, target if modulator.per_target else "", ruled)
        if key not in known:
            known[key] = self._compute(modulator.towards(key[2]), shared, ruled)
        return known[key]

    def _compute(self, modulator: ValueSource, shared: bool, rule: Rule) -> Floats:
        if not modulator.per_note:
            return modulator.values(self.of(whole(modulator.setting.score.length)))
        if not shared:
            return modulator.values(self)
        if rule != "newest":
            return self._of_held(modulator, rule)
        out = np.zeros((1, len(self.times)))
        edges = np.flatnonzero(np.diff(self.newest)) + 1
        for a, b in itertools.pairwise([0, *edges.tolist(), len(self.times)]):
            if a < b and self.newest[a] >= 0:
                note = self.started.row(int(self.newest[a]))
                out[0, a:b] = modulator.values(Moments(self.times[a:b], note, self.started))[0]
        return out

    def _of_held(self, modulator: ValueSource, rule: Rule) -> Floats:
        """The values of the loudest held note, or the mean of all held; else of the newest."""
        started, times = self.started, self.times
        out = np.zeros((1, len(times)))
        changes = np.searchsorted(times, np.append(started.start, started.start + started.length))
        edges = np.unique(np.append(changes, [0, len(times)])).tolist()
        for a, b in itertools.pairwise(edges):
            held = (started.start <= times[a]) & (times[a] < started.start + started.length)
            rows = np.flatnonzero(held).tolist()
            if not rows:
                rows = [int(self.newest[a])]
            if rows == [-1]:
                continue
            if rule == "loudest":
                rows = [max(rows, key=lambda row: (started.velocity[row], row))]
            values = modulator.values(Moments(times[a:b], started.pick(rows), started))
            out[0, a:b] = values.mean(axis=0)
        return out
