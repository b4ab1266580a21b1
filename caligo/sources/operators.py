"""The operators source: up to eight waves that modulate each other's phase."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from caligo.catalogue import Choice, Items, Kind, Module, Moves, Parameter, Scale, register
from caligo.catalogue.parts.amplitude import ENVELOPE_BENDS, envelope_stages
from caligo.document.sound import ItemPart
from caligo.movement.block import TICK, Block
from caligo.movement.chance import derive, text_seed, unit
from caligo.movement.envelope import envelope_course, stage_bends, stage_seconds
from caligo.movement.notes import Floats
from caligo.movement.routes import Bundle, Frame
from caligo.sources.common import unison_parameters, voice_parameters
from caligo.sources.decimation import EVEN, ODD, REACH, halve
from caligo.sources.modulation import (
    NOISE,
    SINE,
    TABLE,
    add_operator_turns,
    as_links,
    order_of,
    render_operators,
)
from caligo.sources.source import VOICE_RMS
from caligo.sources.tables import built_in
from caligo.sources.turns import HIGHEST, Added, Turns, first_tick
from caligo.sources.unison import InUnison

MOST = 8
TABLES = ("triangle", "saw", "square")
MIDDLE_C = 60
SILENT = -80.0
AROUND = REACH // (2 * TICK) + 1
"""Ticks that are rendered before and after, for the filter that halves the sample rate."""


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
        _moved("offset", "Offset", "Added to its frequency: slow beats at any pitch.", "Hz",
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
        Parameter("key_scale", "Key scaling", "How it grows or weakens above middle C.",
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
        name="Operators",
        help="Up to eight waves; which acts on which, and how much, makes the colour.",
        parameters=(*voice_parameters(), *unison_parameters(scatter=False)),
        items=(Items("operator", 1, MOST), Items("modulation", 0, 24)),
        picture="spectrum",
    )
)
class Operators(InUnison):
    """Renders operators at twice the sample rate."""

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
        self._tables = np.stack([table.cycles[:, 0] for table in tables]) * full
        self._limits = tables[0].limits
        self._turns = Turns(self.movement.track(f"{self.path}.fine"), self.rate)
        self._level = self.movement.track(f"{self.path}.level")
        tracks = {
            key: [self.movement.track(f"{self.path}.{item.id}.{key}") for item in self._operators]
            for key in ("ratio", "hertz", "offset", "level", "pan")
        }
        self._courses = {key: Bundle(each) for key, each in tracks.items()}
        self._amounts = Bundle(
            [self.movement.track(f"{self.path}.{x.id}.amount") for x in self._links]
        )
        self._by_ratio = np.array([o.text("tuned") == "ratio" for o in self._operators])[:, None]
        self._seeds: dict[int, NDArray[np.uint64]] = {}
        self._envelopes = [self._envelope_of(item) for item in self._operators]
        self._past = np.array([item.text("way") == "past" for item in self._operators])
        self.goes_past = bool(self._past.any())
        self._still = not any(
            track.moved for key in ("ratio", "hertz", "offset") for track in tracks[key]
        )
        self._mono = all(track.base == 0.0 and not track.moved for track in tracks["pan"])
        self._added = Added()

    def _seeds_of(self, seed: int) -> NDArray[np.uint64]:
        """What each operator of a voice takes its noise from ``[operators]``."""
        if seed not in self._seeds:
            if len(self._seeds) > 256:
                self._seeds.clear()
            own = derive(self.seed, seed)
            named = [derive(own, text_seed(o.id)) for o in self._operators]
            self._seeds[seed] = np.array(named, np.uint64)
        return self._seeds[seed]

    def _steps(self, frame: Frame, pitch: Floats) -> Floats:
        """Cycles per sample of each operator at every tick ``[operators, ticks + 1]``."""
        own = self._turns.steps(frame, pitch)
        ratio, hertz, offset = (
            self._courses[key].values(frame) for key in ("ratio", "hertz", "offset")
        )
        steps = np.where(self._by_ratio, own * ratio, hertz / self.rate) + offset / self.rate
        return np.clip(steps, 0.0, HIGHEST, out=steps)

    def _begin(self, seed: int) -> NDArray[np.float64]:
        """Cycles with which a voice's operators begin ``[operators]``."""
        return np.array(
            [
                item.number("phase") / 360.0
                + (0.0 if item.switch("restart") else unit(np.uint64(derive(self.seed, seed)), o))
                for o, item in enumerate(self._operators)
            ]
        )

    def _passed(self, block: Block, row: int, first: int, steps: Floats) -> Floats:
        """Cycles at the start of every tick from `first` on ``[operators, ticks]``."""
        begin, began = self._begin(block.voices[row].seed), first_tick(block, row)
        ticks = steps.shape[1] - 1
        if self._still and self._turns.steady(block, row):
            passed = TICK * (np.arange(first, first + ticks) - began)
            found: Floats = begin[:, None] + steps[:, :1] * passed[None, :]
            return found

        def advance(turns: NDArray[np.float64], frame: Frame, pitch: Floats) -> None:
            add_operator_turns(turns, self._steps(frame, pitch), np.empty((0, 0)))

        track = np.repeat(begin[:, None], ticks, axis=1)
        at = max(first, began) - first
        if at < ticks:
            turns = self._added.up_to(block, row, begin, advance, before=AROUND)
            add_operator_turns(turns, steps[:, at:], track[:, at:])
            if at <= block.span.ticks:
                self._added.keep(block, row, track[:, block.span.ticks].copy(), before=AROUND)
        return track

    def _envelope_of(self, item: ItemPart) -> ItemPart | None:
        """The operator whose envelope an operator follows: itself, another or none."""
        seen = {item.id}
        while item.text("shape") == "other":
            other = next((o for o in self._operators if o.id == item.text("shape_of")), None)
            if other is None or other.id in seen:
                break
            item, seen = other, seen | {other.id}
        return item if item.text("shape") == "own" else None

    def _shapes(self, frame: Frame) -> Floats:
        """Envelopes, with velocity and key, at every tick ``[operators, ticks + 1]``."""
        notes = frame.notes
        out = np.empty((len(self._operators), len(frame.times)))
        for o, (item, envelope) in enumerate(zip(self._operators, self._envelopes, strict=True)):
            softer = item.number("velocity") * (1.0 - notes.velocity[0])
            higher = item.number("key_scale") * (notes.key[0] - MIDDLE_C) / 12.0
            out[o] = 10.0 ** ((higher - softer) / 20.0)
            if envelope is None:
                continue
            shape = np.empty((1, len(frame.times)))
            envelope_course(
                frame.times,
                notes.start,
                notes.length,
                stage_seconds(envelope, notes, self.movement.setting.tempo),
                envelope.number("sustain") / 100.0,
                stage_bends(envelope),
                shape,
            )
            out[o] *= shape[0]
        return out

    def _gains(self, frame: Frame, parted: bool) -> Floats:
        """How loud each operator is in each output ``[outputs, operators, ticks + 1]``."""
        level = VOICE_RMS * math.sqrt(2.0) * 10.0 ** (self._level.values(frame)[0] / 20.0)
        heard = self._courses["level"].values(frame)
        size = np.where(heard <= SILENT, 0.0, 10.0 ** (heard / 20.0)) * level
        sides = [size]
        if not self._mono:
            angle = (self._courses["pan"].values(frame) / 100.0 + 1.0) * (math.pi / 4.0)
            sides = [size * math.sqrt(2.0) * np.cos(angle), size * math.sqrt(2.0) * np.sin(angle)]
        out = np.stack(sides)
        if not parted:
            return out
        past = self._past[:, None]
        return np.concatenate([np.where(past, 0.0, out), np.where(past, out, 0.0)])

    def kept(self) -> dict[str, Any]:
        """See `Source.kept`."""
        return {"turns": self._added.copy()}

    def carry_on(self, kept: dict[str, Any]) -> None:
        """See `Source.carry_on`."""
        self._added.take(kept["turns"])

    def render_each(self, block: Block, out: NDArray[np.float32]) -> None:
        """See `InUnison.render_each`."""
        span = block.span
        first, ticks = span.first - AROUND, span.ticks + 2 * AROUND
        for row, voice in enumerate(block.voices):
            frame, pitch = block.history(row, first, ticks)
            steps = self._steps(frame, pitch)
            gains = self._gains(frame, block.past is not None)
            twice = np.zeros((len(gains), 2 * TICK * ticks), np.float32)
            render_operators(
                self._order,
                self._circle,
                self._waves,
                self._tables,
                self._limits,
                self._table_of,
                self._seeds_of(voice.seed),
                self._passed(block, row, first, steps),
                0.5 * steps,
                self._shapes(frame),
                self._pairs,
                self._amounts.values(frame) / (2.0 * math.pi),
                gains,
                twice,
            )
            cut = 2 * TICK * AROUND - REACH
            needed = twice[:, cut : cut + 2 * span.samples + 2 * REACH]
            sides = 1 if self._mono else 2
            for i, to in enumerate((out, block.past) if len(gains) > sides else (out,)):
                assert to is not None
                for side in range(sides):
                    halve(needed[i * sides + side], EVEN, ODD, to[row, side])
                if self._mono:
                    to[row, 1] += to[row, 0]


def _wave(item: ItemPart) -> int:
    """Which kernel an operator's wave needs."""
    wave = item.text("wave")
    return TABLE if wave in TABLES else NOISE if wave == "noise" else SINE
