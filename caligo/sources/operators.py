"""The operators source: up to eight waves that modulate each other's phase."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from caligo.catalogue import Choice, Items, Kind, Module, Moves, Parameter, Scale, register
from caligo.catalogue.parts.amplitude import ENVELOPE_BENDS, envelope_stages
from caligo.document.sound import ItemPart
from caligo.movement.block import SourceBlock
from caligo.movement.chance import derive, text_seed, unit
from caligo.movement.envelope import NoteEnvelope
from caligo.movement.moments import Moments
from caligo.movement.notes import Floats
from caligo.movement.trajectory import Bundle
from caligo.signal.oversampling import EVEN, FAR, FAR_TAPS, ODD, REACH, halve, thin_out
from caligo.signal.ticks import TICK
from caligo.synthesis.bandwidth import FACTORS, Reaching
from caligo.synthesis.common import unison_parameters, voice_parameters
from caligo.synthesis.modulation import (
    NOISE,
    SINE,
    TABLE,
    accumulate_operator_phases,
    as_links,
    order_of,
    render_operators,
)
from caligo.synthesis.phases import HIGHEST, Accumulated, Phases, first_tick, left_of
from caligo.synthesis.source import VOICE_RMS
from caligo.synthesis.tables import built_in
from caligo.synthesis.unison import InUnison

MOST = 8
TABLES = ("triangle", "saw", "square")
MIDDLE_C = 60
SILENT = -80.0
MOST_BY_KEY = 24.0
"""Decibels by which an operator grows at most, however steep its key scaling and high the note."""
SCATTERED = 1_000
"""The index of the chance by which a voice in unison begins elsewhere."""
AROUND = (REACH + FAR) // (2 * TICK) + 1
"""Ticks that are rendered before and after, for the filters that halve the sample rate."""


def _moved(key: str, name: str, help: str, unit: str, **more: Any) -> Parameter:
    return Parameter(key, name, help, unit=unit, moves=Moves.PER_NOTE, **more)


OWN = ("shape", ("own",))
OPERATOR = Module(
    family="item",
    kind="operator",
    name="Operator",
    help="One wave: heard, or acting on others, or both.",
    parameters=(
        Parameter("wave", "Wave", "Its shape.", default="sine", kind=Kind.CHOICE, choices=(
            Choice("sine", "Sine"), Choice("triangle", "Triangle"), Choice("saw", "Saw"),
            Choice("square", "Square"), Choice("noise", "Noise"),
        )),
        Parameter("tuned", "Tuned", "By the note, or to a frequency of its own.",
                  default="ratio", kind=Kind.CHOICE,
                  choices=(Choice("ratio", "To the note"), Choice("fixed", "Fixed"))),
        _moved("ratio", "Ratio", "Its frequency as a multiple of the note's.", "", low=0.05,
               high=64.0, default=1.0, scale=Scale.LOGARITHMIC, when=("tuned", ("ratio",))),
        _moved("hertz", "Frequency", "Its own frequency.", "Hz", low=0.01, high=16000.0,
               default=110.0, scale=Scale.LOGARITHMIC, when=("tuned", ("fixed",))),
        _moved("offset", "Offset", "Accumulated to its frequency: slow beats at any pitch.", "Hz",
               low=-2000.0, high=2000.0),
        _moved("level", "Heard", "How loud it is itself; what it does to others stays.", "dB",
               low=SILENT, high=12.0, scale=Scale.DECIBEL),
        _moved("pan", "Pan", "Where it is heard.", "%", low=-100.0, high=100.0),
        Parameter("phase", "Phase", "Where in its wave it begins.", unit="°", high=360.0),
        Parameter("restart", "Restart", "Begin each note at that phase, not anywhere.",
                  default=True, kind=Kind.SWITCH),
        Parameter("way", "Way", "Through the layer's filters, or past them.",
                  default="filters", kind=Kind.CHOICE,
                  choices=(Choice("filters", "Through the filters"), Choice("past", "Past them"))),
        Parameter("velocity", "Velocity", "How much weaker it is in the softest note.",
                  unit="dB", high=48.0),
        Parameter("key_scale", "Key scaling",
                  f"How it grows, by {MOST_BY_KEY:g} dB at most, or weakens above middle C.",
                  unit="dB/oct", low=-18.0, high=18.0),
        Parameter("shape", "Envelope", "Steady, with an envelope of its own, or another's.",
                  default="steady", kind=Kind.CHOICE,
                  choices=(Choice("steady", "Steady"), Choice("own", "Its own"),
                           Choice("other", "Another operator's"))),
        Parameter("shape_of", "Envelope of", "The operator whose envelope it follows.",
                  default="", kind=Kind.REFERENCE, of="operator", when=("shape", ("other",))),
        *(Parameter(p.key, p.name, p.help, unit=p.unit, low=p.low, high=p.high,
                    default=p.default, kind=p.kind, scale=p.scale, when=OWN)
          for p in (*envelope_stages(attack=0.5, hold=0.0, decay=8.0, release=3.0),
                    Parameter("sustain", "Sustain", "Where it stays.", unit="%", high=100.0,
                              default=50.0),
                    *ENVELOPE_BENDS)),
    ),
)  # fmt: skip
LINK = Module(
    family="item",
    kind="modulation",
    name="Modulation",
    help="One operator shifts the phase of another, or its own.",
    parameters=(
        Parameter("from", "From", "The operator that acts.", default="", kind=Kind.REFERENCE,
                  of="operator", needed=True),
        Parameter("to", "To", "The operator that it acts on.", default="", kind=Kind.REFERENCE,
                  of="operator", needed=True),
        _moved("amount", "Amount", "The index: how far it shifts the phase.", "rad",
               high=24.0, default=1.0),
    ),
)  # fmt: skip


@register(OPERATOR)
class OperatorItem:
    """An operator in a document; the source reads it."""


@register(LINK)
class ModulationItem:
    """A modulation in a document; the source reads it."""


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
            for key in ("ratio", "hertz", "offset", "level", "pan")
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
        self._envelopes = [self._envelope_of(item) for item in self._operators]
        self._past = np.array([item.text("way") == "past" for item in self._operators])
        self.has_unfiltered = bool(self._past.any())
        self._tuned = [t for key in ("ratio", "hertz", "offset") for t in trajectories[key]]
        self._pans = trajectories["pan"]
        self._added = Accumulated()

    @property
    def _still(self) -> bool:
        """Whether all operators keep their ratios to the note."""
        return not any(t.moved for t in self._tuned)

    @property
    def _mono(self) -> bool:
        """Whether all operators are heard in the middle."""
        return not any(t.acts for t in self._pans)

    def _seeds_of(self, seed: int) -> NDArray[np.uint64]:
        """What each operator of a voice takes its noise from ``[operators]``."""
        if seed not in self._seeds:
            if len(self._seeds) > 256:
                self._seeds.clear()
            own = derive(self.seed, seed)
            named = [derive(own, text_seed(o.id)) for o in self._operators]
            self._seeds[seed] = np.array(named, np.uint64)
        return self._seeds[seed]

    def _steps(self, moments: Moments, pitch: Floats) -> Floats:
        """Cycles per sample of each operator at every tick ``[operators, ticks + 1]``."""
        own = self._phases.steps(moments, pitch)
        ratio, hertz, offset = (
            self._values[key].values(moments) for key in ("ratio", "hertz", "offset")
        )
        steps = np.where(self._by_ratio, own * ratio, hertz / self.rate) + offset / self.rate
        return np.clip(steps, 0.0, HIGHEST, out=steps)

    def _begin(self, seed: int) -> NDArray[np.float64]:
        """Cycles with which a voice's operators begin ``[operators]``.

        In unison each voice begins somewhere else in the note's cycle, its operators together: how
        they act on each other stays as it is.
        """
        own = np.uint64(derive(self.seed, seed))
        scatter = self.part.number("scatter") / 100.0 if len(self._offsets) > 1 else 0.0
        ahead = scatter * unit(own, SCATTERED) if scatter else 0.0
        return np.array(
            [
                item.number("phase") / 360.0
                + (0.0 if item.switch("restart") else unit(own, o))
                + ahead * (item.number("ratio") if item.text("tuned") == "ratio" else 1.0)
                for o, item in enumerate(self._operators)
            ]
        )

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
            accumulate_operator_phases(phase, steps[:, at:], at_ticks[:, at:])
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
        """Cycles of a voice in unison that strays: operators tuned in hertz do not."""
        assert block.resting is not None
        assert block.ahead is not None
        moments = block.moments.of(block.moments.notes.row(row))
        moments = moments.at(moments.times[:1])
        steps = self._steps(moments, block.resting[row : row + 1, :1])
        times = np.append(ticks, first_tick(block, row)) * (TICK / self.rate)
        ahead = block.ahead(row, times)
        own = self._phases.resting_step(block, row)
        ratio = self._values["ratio"].values(moments)
        stray = np.where(self._by_ratio, own * ratio, 0.0) * self.rate * (ahead[:-1] - ahead[-1])
        found: Floats = begin[:, None] + steps * passed[None, :] + stray
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

    def _gains(self, moments: Moments, parted: bool) -> Floats:
        """How loud each operator is in each output ``[outputs, operators, ticks + 1]``."""
        level = VOICE_RMS * math.sqrt(2.0) * 10.0 ** (self._level.values(moments)[0] / 20.0)
        heard = self._values["level"].values(moments)
        size = np.where(heard <= SILENT, 0.0, 10.0 ** (heard / 20.0)) * level
        sides = [size]
        if not self._mono:
            angle = (self._values["pan"].values(moments) / 100.0 + 1.0) * (math.pi / 4.0)
            sides = [size * math.sqrt(2.0) * np.cos(angle), size * math.sqrt(2.0) * np.sin(angle)]
        out = np.stack(sides)
        if not parted:
            return out
        past = self._past[:, None]
        return np.concatenate([np.where(past, 0.0, out), np.where(past, out, 0.0)])

    def prepare(self) -> None:
        """See `Source.prepare`."""
        self._reaching.forget()

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

    def render_each(self, block: SourceBlock, out: NDArray[np.float32]) -> None:
        """See `InUnison.render_each`."""
        span = block.span
        first, ticks = span.first - AROUND, span.ticks + 2 * AROUND
        for row, voice in enumerate(block.voices):
            moments, pitch = block.history(row, first, ticks)
            steps = self._steps(moments, pitch)
            gains = self._gains(moments, block.unfiltered is not None) * left_of(steps)
            factor = FACTORS[0] if block.rough else self._factor(block.highest(row), voice.key)
            waves = np.zeros((len(gains), factor * TICK * ticks), np.float32)
            render_operators(
                self._order,
                self._circle,
                self._waves,
                self._tables,
                self._limits,
                self._table_of,
                self._seeds_of(voice.seed),
                self._passed(block, row, first, steps),
                steps / factor,
                self._shapes(moments),
                self._pairs,
                self._amounts.values(moments) / (2.0 * math.pi),
                gains,
                factor,
                waves,
            )
            cut = 2 * TICK * AROUND - REACH
            needed = [_twice(wave, factor)[cut:][: 2 * span.samples + 2 * REACH] for wave in waves]
            sides = 1 if self._mono else 2
            for i, to in enumerate((out, block.unfiltered) if len(gains) > sides else (out,)):
                assert to is not None
                for side in range(sides):
                    halve(needed[i * sides + side], EVEN, ODD, to[row, side])
                if self._mono:
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
