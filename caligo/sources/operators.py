"""The operators source: up to eight waves that modulate each other's phase."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from caligo.catalogue import Items, Module, register
from caligo.document.sound import ItemPart
from caligo.movement.block import SourceBlock
from caligo.movement.chance import derive, text_seed, unit
from caligo.movement.envelope import NoteEnvelope
from caligo.movement.moments import Moments
from caligo.movement.notes import Floats
from caligo.movement.trajectory import Bundle
from caligo.signal.oversampling import EVEN, FAR, FAR_TAPS, ODD, REACH, halve, thin_out
from caligo.signal.pan import placed
from caligo.signal.ticks import TICK
from caligo.synthesis.bandwidth import FACTORS, Reaching
from caligo.synthesis.common import unison_parameters, voice_parameters
from caligo.synthesis.modulation import (
    NOISE,
    SINE,
    TABLE,
    accumulate_operator_phases,
    as_links,
    circles_in_a_row,
    order_of,
    render_operators,
)
from caligo.synthesis.operator_items import MOST_BY_KEY, SILENT
from caligo.synthesis.phases import HIGHEST, Accumulated, Phases, first_tick, left_of
from caligo.synthesis.source import VOICE_RMS
from caligo.synthesis.tables import built_in
from caligo.synthesis.unison import InUnison

MOST = 8
TABLES = ("triangle", "saw", "square")
TUNING = ("ratio", "hertz", "offset")
MIDDLE_C = 60
SCATTERED = 1_000
"""The index of the chance by which a voice in unison begins elsewhere."""
MOST_KNOWN = 1_024
"""Voices whose beginnings and chances are kept."""
AROUND = (REACH + FAR) // (2 * TICK) + 1
"""Ticks that are rendered before and after, for the filters that halve the sample rate."""


@register(
    Module(
        family="source",
        kind="operators",
        category="Oscillators",
        name="Operators",
        help="Up to eight waves; which acts on which, and how much, makes the colour.",
        parameters=(*voice_parameters(), *unison_parameters()),
        items=(Items("operator", 1, MOST), Items("modulation", 0, 24)),
        picture="spectrum",
    )
)
class Operators(InUnison):
    """Renders operators at twice the sample rate, and at more where they reach so high."""

    def __init__(self, *args: object) -> None:
        super().__init__(*args)
        self._operators = self.part.of_kind("operator")
        index = {item.id: i for i, item in enumerate(self._operators)}
        self._links = [
            item
            for item in self.part.of_kind("modulation")
            if item.text("from") in index and item.text("to") in index
        ]
        pairs = [(index[x.text("from")], index[x.text("to")]) for x in self._links]
        order, circle = order_of(len(self._operators), pairs)
        self._in_a_row = circles_in_a_row(order, circle, pairs)
        self._pairs, self._order, self._circle = as_links(pairs), np.array(order), np.array(circle)
        self._waves = np.array([_wave(item) for item in self._operators])
        self._table_of = np.array(
            [TABLES.index(w) if (w := o.text("wave")) in TABLES else 0 for o in self._operators]
        )
        tables = [built_in(key) for key in TABLES]
        # Tables are at a voice's level; here a sine of amplitude 1 is the measure.
        full = np.float32(1.0 / (VOICE_RMS * math.sqrt(2.0)))
        self._tables = np.stack([table.of_one_length() for table in tables]) * full
        self._limits = tables[0].limits
        self._fine = self.movement.trajectory(f"{self.path}.fine")
        self._phases = Phases(self._fine, self.rate)
        self._level = self.movement.trajectory(f"{self.path}.level")
        trajectories = {
            key: [
                self.movement.trajectory(f"{self.path}.{item.id}.{key}") for item in self._operators
            ]
            for key in (*TUNING, "level", "pan")
        }
        self._values = {key: Bundle(each) for key, each in trajectories.items()}
        indices = [self.movement.trajectory(f"{self.path}.{x.id}.amount") for x in self._links]
        self._amounts = Bundle(indices)
        by_ratio = [o.text("tuned") == "ratio" for o in self._operators]
        self._by_ratio = np.array(by_ratio)[:, None]
        tables_read = [wave == TABLE for wave in self._waves]
        self._reaching = Reaching(
            order, circle, pairs, tables_read, trajectories, indices, by_ratio, self.rate
        )
        self._seeds: dict[int, NDArray[np.uint64]] = {}
        self._begins: dict[int, Floats] = {}
        self._envelopes = [self._envelope_of(item) for item in self._operators]
        self._past = np.array([item.text("way") == "past" for item in self._operators])
        self.has_unfiltered = bool(self._past.any())
        self._resting = [self._values[key].at_rest() for key in TUNING]
        self._resting_sizes: dict[int, Floats] = {}
        self._pans = trajectories["pan"]
        self._added = Accumulated()

    @property
    def _still(self) -> bool:
        """Whether all operators keep their ratios to the note."""
        return not any(self._values[key].moved for key in TUNING)

    @property
    def _mono(self) -> bool:
        """Whether all operators are heard in the middle."""
        return not any(t.acts for t in self._pans)

    def _seeds_of(self, seed: int) -> NDArray[np.uint64]:
        """What each operator of a voice takes its noise from ``[operators]``."""
        if seed not in self._seeds:
            if len(self._seeds) > MOST_KNOWN:
                self._seeds.clear()
            own = derive(self.seed, seed)
            named = [derive(own, text_seed(o.id)) for o in self._operators]
            self._seeds[seed] = np.array(named, np.uint64)
        return self._seeds[seed]

    def _steps(self, moments: Moments, pitch: Floats) -> Floats:
        """Cycles per sample of each operator at every tick ``[operators, ticks + 1]``."""
        own = self._phases.steps(moments, pitch)
        ratio, hertz, offset = self._tuning(moments)
        steps = np.where(self._by_ratio, own * ratio, hertz / self.rate) + offset / self.rate
        return np.clip(steps, 0.0, HIGHEST, out=steps)

    def _tuning(self, moments: Moments) -> Sequence[Floats]:
        """Ratios, hertz and offsets ``[operators, ticks + 1]``, or ``[operators, 1]`` at rest."""
        if self._still:
            return self._resting
        return [self._values[key].values(moments) for key in TUNING]

    def _begin(self, seed: int) -> NDArray[np.float64]:
        """Cycles with which a voice's operators begin ``[operators]``.

        In unison each voice begins somewhere else in the note's cycle, its operators together: how
        they act on each other stays as it is.
        """
        known = self._begins.get(seed)
        if known is not None:
            return known
        own = np.uint64(derive(self.seed, seed))
        scatter = self.part.number("scatter") / 100.0 if len(self._offsets) > 1 else 0.0
        ahead = scatter * unit(own, SCATTERED) if scatter else 0.0
        if len(self._begins) > MOST_KNOWN:
            self._begins.clear()
        self._begins[seed] = np.array(
            [
                item.number("phase") / 360.0
                + (0.0 if item.switch("restart") else unit(own, o))
                + ahead * (item.number("ratio") if item.text("tuned") == "ratio" else 1.0)
                for o, item in enumerate(self._operators)
            ]
        )
        return self._begins[seed]

    def _passed(self, block: SourceBlock, row: int, first: int, steps: Floats) -> Floats:
        """Cycles at the start of every tick from `first` on ``[operators, ticks]``."""
        begin, began = self._begin(block.voices[row].seed), first_tick(block, row)
        ticks = steps.shape[1] - 1
        if self._still and self._phases.steady(block, row):
            numbers = np.arange(first, first + ticks)
            passed = TICK * (numbers - began)
            if block.ahead is not None:
                return self._strayed(block, row, begin, numbers, passed)
            found: Floats = begin[:, None] + steps[:, :1] * passed[None, :]
            return found

        def advance(phase: NDArray[np.float64], moments: Moments, pitch: Floats) -> None:
            accumulate_operator_phases(phase, self._steps(moments, pitch), np.empty((0, 0)))

        at_ticks = np.repeat(begin[:, None], ticks, axis=1)
        at = max(first, began) - first
        if at < ticks:
            phase = self._added.up_to(block, row, begin, advance, before=AROUND)
            own = np.empty((len(begin), ticks - at))
            accumulate_operator_phases(phase, np.ascontiguousarray(steps[:, at:]), own)
            at_ticks[:, at:] = own
            if at <= block.span.ticks:
                self._added.keep(block, row, at_ticks[:, block.span.ticks].copy(), before=AROUND)
        return at_ticks

    def _strayed(
        self,
        block: SourceBlock,
        row: int,
        begin: NDArray[np.float64],
        ticks: NDArray[np.integer],
        passed: NDArray[np.integer],
    ) -> Floats:
        """Cycles of a voice in unison that drifts: operators tuned in hertz do not."""
        assert block.resting is not None
        assert block.ahead is not None
        moments = block.moments.of(block.moments.notes.row(row))
        moments = moments.at(moments.times[:1])
        steps = self._steps(moments, block.resting[row : row + 1, :1])
        times = np.append(ticks, first_tick(block, row)) * (TICK / self.rate)
        ahead = block.ahead(row, times)
        own = self._phases.resting_step(block, row)
        ratio = self._tuning(moments)[0]
        drift_at = np.where(self._by_ratio, own * ratio, 0.0) * self.rate * (ahead[:-1] - ahead[-1])
        found: Floats = begin[:, None] + steps * passed[None, :] + drift_at
        return found

    def _envelope_of(self, item: ItemPart) -> NoteEnvelope | None:
        """The envelope that an operator follows: its own, that of another or none."""
        seen = {item.id}
        while item.text("shape") == "other":
            other = next((o for o in self._operators if o.id == item.text("shape_of")), None)
            if other is None or other.id in seen:
                break
            item, seen = other, seen | {other.id}
        if item.text("shape") != "own":
            return None
        return NoteEnvelope(self.movement, f"{self.path}.{item.id}", lambda x: x / 100.0)

    def _shapes(self, moments: Moments) -> Floats:
        """Envelopes, with velocity and key, at every tick ``[operators, ticks + 1]``."""
        notes = moments.notes
        out = np.empty((len(self._operators), len(moments.times)))
        for o, (item, envelope) in enumerate(zip(self._operators, self._envelopes, strict=True)):
            softer = item.number("velocity") * (1.0 - notes.velocity[0])
            out[o] = 10.0 ** ((_by_key(item, notes.key[0]) - softer) / 20.0)
            if envelope is None:
                continue
            out[o] *= envelope.values(moments)[0]
        return out

    def _gains(self, moments: Moments, parted: bool, channels: Floats | None) -> Floats:
        """How loud each operator is in each output ``[outputs, operators, ticks + 1]``.

        In unison a voice stands somewhere: `channels` are its gains ``[2, ticks + 1]``.
        """
        size = self._sizes(moments)
        out: Floats = size[None]
        if not self._mono:
            angle = (self._values["pan"].values(moments) / 100.0 + 1.0) * (math.pi / 4.0)
            out = size * math.sqrt(2.0) * np.stack([np.cos(angle), np.sin(angle)])
        out = out if channels is None else out * channels[:, None]
        if not parted:
            return out
        past = self._past[:, None]
        both: Floats = np.concatenate([np.where(past, 0.0, out), np.where(past, out, 0.0)])
        return both

    def _sizes(self, moments: Moments) -> Floats:
        """How loud each operator is ``[operators, ticks + 1]``; not to be written to."""
        count, levels = len(moments.times), self._values["level"]
        still = not levels.moved and not self._level.moved
        if still and count in self._resting_sizes:
            return self._resting_sizes[count]
        level = VOICE_RMS * math.sqrt(2.0) * 10.0 ** (self._level.values(moments)[0] / 20.0)
        heard = levels.values(moments)
        found: Floats = np.where(heard <= SILENT, 0.0, 10.0 ** (heard / 20.0)) * level
        if still:
            self._resting_sizes = {count: found}
        return found

    def prepare(self) -> None:
        """See `Source.prepare`."""
        self._reaching.evict()

    def _factor(self, highest: float, key: int) -> int:
        """At how many times the sample rate a voice is computed, from its start to its end."""
        own = min(2.0 ** (highest + self._fine.reach()[1] / 1200.0), HIGHEST * self.rate)
        grown = [10.0 ** (_by_key(item, key) / 20.0) for item in self._operators]
        return self._reaching.factor(own, grown)

    def save_state(self) -> dict[str, Any]:
        """See `Source.save_state`."""
        return {"phase": self._added.copy()}

    def restore_state(self, state: dict[str, Any]) -> None:
        """See `Source.restore_state`."""
        self._added.take(state["phase"])

    def render(self, block: SourceBlock, out: NDArray[np.float32]) -> None:
        """See `Source.render`; the voices of a unison are summed before the rate is halved."""
        count, first, ticks = len(self._offsets), *self._around(block)
        if self.alone:
            for row in range(len(block.voices)):
                self._render_note(block, [row], [None], block, row, out)
            return
        inner = self._multiplied(block)
        even = np.full(ticks + 1, 1.0 / math.sqrt(count))
        for row in range(len(block.voices)):
            spread = self._spread.values(block.history(row, first, ticks)[0])[0] / 100.0
            places = [np.stack(x) for x in zip(*placed(self._offsets, spread, even), strict=True)]
            rows = range(row * count, (row + 1) * count)
            self._render_note(inner, rows, places, block, row, out)

    def _around(self, block: SourceBlock) -> tuple[int, int]:
        """The first tick that is rendered, and how many."""
        return block.span.first - AROUND, block.span.ticks + 2 * AROUND

    def _render_note(
        self,
        inner: SourceBlock,
        rows: Sequence[int],
        places: Sequence[Floats | None],
        block: SourceBlock,
        row: int,
        out: NDArray[np.float32],
    ) -> None:
        """Render the voices `rows` of `inner`, each in its place, as voice `row` of a block."""
        (first, ticks), span = self._around(block), block.span
        factor = FACTORS[0]
        if not block.preview:
            factor = max(self._factor(inner.highest(r), inner.voices[r].key) for r in rows)
        channels = 1 if self._mono and self.alone else 2
        parted = block.unfiltered is not None
        waves = np.zeros((channels * (1 + parted), factor * TICK * ticks), np.float32)
        for r, place in zip(rows, places, strict=True):
            moments, pitch = inner.history(r, first, ticks)
            steps = self._steps(moments, pitch)
            # What is too high to be heard modulates nothing either: it would fold.
            heard = left_of(steps)
            render_operators(
                self._order,
                self._circle,
                self._waves,
                self._tables,
                self._limits,
                self._table_of,
                self._seeds_of(inner.voices[r].seed),
                self._passed(inner, r, first, steps),
                steps / factor,
                self._shapes(moments) * heard,
                self._pairs,
                self._amounts.values(moments) / (2.0 * math.pi),
                self._gains(moments, parted, place),
                self._in_a_row,
                factor,
                waves,
            )
        cut = 2 * TICK * AROUND - REACH
        needed = [_twice(wave, factor)[cut:][: 2 * span.samples + 2 * REACH] for wave in waves]
        for i, to in enumerate((out, block.unfiltered) if parted else (out,)):
            assert to is not None
            for channel in range(channels):
                halve(needed[i * channels + channel], EVEN, ODD, to[row, channel])
            if channels == 1:
                to[row, 1] += to[row, 0]


def _twice(wave: NDArray[np.float32], factor: int) -> NDArray[np.float32]:
    """A wave ``[factor * samples]`` at twice the sample rate ``[2 * samples]``."""
    while factor > 2:
        wave, factor = thin_out(wave, FAR_TAPS), factor // 2
    return wave


def _by_key(item: ItemPart, key: float) -> float:
    """Decibels by which an operator grows or weakens for a note's key."""
    return min(item.number("key_scale") * (key - MIDDLE_C) / 12.0, MOST_BY_KEY)


def _wave(item: ItemPart) -> int:
    """Which kernel an operator's wave needs."""
    wave = item.text("wave")
    return TABLE if wave in TABLES else NOISE if wave == "noise" else SINE
