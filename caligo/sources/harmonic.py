"""The harmonic source: up to 256 partials in a voice, shaped by rules."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from caligo.catalogue import Choice, Kind, Module, Moves, Parameter, Scale, register
from caligo.movement.block import SourceBlock
from caligo.movement.chance import derive
from caligo.movement.moments import Moments
from caligo.movement.notes import Floats
from caligo.movement.trajectory import Bundle
from caligo.signal.ticks import TICK
from caligo.synthesis import partials
from caligo.synthesis.common import unison_parameters, voice_parameters
from caligo.synthesis.partial_levels import part_at_wraps, shape_all, to_gains
from caligo.synthesis.partials import (
    COUNTED,
    FIXED,
    LISTED,
    MOST,
    NO_RULE,
    PLACES,
    RULES,
    joined_rules,
    moved_numbers,
    numbers_of,
)
from caligo.synthesis.phases import Accumulated, Phases, first_tick
from caligo.synthesis.portrait import Portrait, Shown, levels_of, octaves_of
from caligo.synthesis.sines import CELL, add_sines, advance_phases, travelled
from caligo.synthesis.source import VOICE_RMS
from caligo.synthesis.unison import InUnison

MOVED = {
    "count": partials.COUNT,
    "morph": partials.MORPH,
    "third": partials.THIRD,
    "tilt": partials.TILT,
    "band": partials.BAND,
    "band_centre": partials.BAND_CENTRE,
    "band_width": partials.BAND_WIDTH,
    "stretch": partials.STRETCH,
    "stiffness": partials.STIFFNESS,
    "stiffness_by": partials.STIFFNESS_BY,
    "scatter": partials.SCATTER,
    "bundle_spread": partials.BUNDLE_SPREAD,
    "ripple": partials.RIPPLE,
    "ripple_length": partials.RIPPLE_LENGTH,
    "width": partials.WIDTH,
}
"""Parameters that may be moved, and their place in a row of values."""
RULE_KEYS = ("rule", "other_rule", "third_rule")


def _parameters() -> tuple[Parameter, ...]:
    def moved(key: str, name: str, help: str, unit: str, **more: Any) -> Parameter:
        return Parameter(key, name, help, unit=unit, moves=Moves.PER_NOTE, **more)

    def logarithmic(key: str, name: str, help: str, unit: str, **more: Any) -> Parameter:
        return moved(key, name, help, unit, scale=Scale.LOGARITHMIC, **more)

    def choice(
        key: str, name: str, help: str, default: str, choices: tuple[Choice, ...], **more: Any
    ) -> Parameter:
        return Parameter(
            key, name, help, default=default, kind=Kind.CHOICE, choices=choices, **more
        )

    def period(key: str, name: str, help: str, default: float, **more: Any) -> Parameter:
        return Parameter(
            key, name, help, unit="s", low=0.5, high=3600.0, default=default,
            scale=Scale.LOGARITHMIC, kind=Kind.TIME, moves=Moves.PER_NOTE, **more,
        )  # fmt: skip

    return (
        choice("rule", "Partials", "Which partials sound.", "all", RULES),
        choice("other_rule", "Morph to", "The partials that a morph leads to.", "odd", RULES),
        moved("morph", "Morph", "From the one rule's partials to the other's.", "%", high=100.0),
        choice("third_rule", "And to", "Partials beside those of the morph, to lead it to.",
               NO_RULE.value, (NO_RULE, *RULES)),
        moved("third", "To the third", "From where the morph is to the third rule's partials.",
              "%", when=("third_rule", tuple(rule.value for rule in RULES)), high=100.0,
              default=50.0),
        moved("count", "How many", "Partials from the lowest up; they open one by one.", "",
              high=float(MOST), default=32.0),
        moved("every", "Every", "The n of every n-th: partials 1, 1 + n, 1 + 2n; it need not be "
              "whole.", "", low=1.0, high=16.0, default=3.0, rebuilds=True),
        Parameter("list", "Own list", "Multiples of the note's pitch; they need not be whole.",
                  low=0.25, high=256.0, default="1 2 3 5 8 13", kind=Kind.NUMBERS, most=64),
        Parameter("second_list", "Second list", "Where the own list's partials glide to, one by "
                  "one; what it lacks stays.",
                  low=0.25, high=256.0, default="1 2 3 4 5 6", kind=Kind.NUMBERS, most=64),
        moved("list_glide", "List glide", "How far the own list's partials have glided to the "
              "second list.", "%", high=100.0, default=0.0, off=0.0, idle=0.0),
        *voice_parameters(),
        moved("tilt", "Tilt", "How the partials' levels fall or rise.", "dB/oct",
              low=-24.0, high=6.0, default=-6.0),
        moved("band", "Band", "How far partials away from the band are silenced.", "%",
              high=100.0, off=0.0),
        logarithmic("band_centre", "Band centre", "Where the band is.", "Hz", when=("band", ()),
                    low=20.0, high=16000.0, default=800.0),
        logarithmic("band_width", "Band width", "How wide the band is.", "oct", when=("band", ()),
                    low=0.1, high=6.0, default=1.5),
        moved("stretch", "Stretch", "Widens, or narrows, every octave of partials.", "ct/oct",
              low=-200.0, high=200.0),
        moved("stiffness", "Stiffness", "Inharmonicity B of a stiff string, in millionths.", "ppm",
              scale=Scale.SQUARED, high=partials.STIFFEST, off=0.0),
        moved("stiffness_by", "Stiffness by", "Doubles the stiffness with each octave.", "oct",
              when=("stiffness", ()), low=-18.0, high=18.0),
        moved("scatter", "Scatter", "How far partials lie off their places, each its own way.",
              "ct", high=100.0),
        Parameter("bundle", "Bundle", "Sines for each partial, side by side.",
                  low=1, high=8, default=1, kind=Kind.INTEGER, off=1),
        moved("bundle_spread", "Bundle spread", "How far a bundle's outer sines lie either side.",
              "ct", when=("bundle", ()), high=100.0, default=6.0),
        moved("ripple", "Ripple", "Depth of a wave of level along the partials.", "dB",
              high=48.0, off=0.0),
        logarithmic("ripple_length", "Ripple length", "Partials from crest to crest.", "",
                    when=("ripple", ()),
                    low=1.5, high=64.0, default=7.0),
        period("ripple_period", "Ripple period", "Time in which a crest moves on by a length.",
               30.0, when=("ripple", ())),
        choice("ripple_way", "Ripple way", "Which way the ripple travels.", "up",
               (Choice("up", "Up"), Choice("down", "Down")), when=("ripple", ())),
        Parameter("endless", "Endless glide",
                  "Partials rise, or fall, for ever: they fade out at one end of the range and "
                  "come back at the other.", unit="oct/min", low=-60.0, high=60.0,
                  moves=Moves.PER_NOTE),
        choice("place", "Placed", "How the partials are placed in stereo.", "alternate", PLACES),
        moved("width", "Width", "How far apart they are placed.", "%", high=100.0, default=60.0),
        period("turn_period", "Turn period", "Time in which a turning partial comes round.", 40.0,
               when=("place", ("turning",))),
        *unison_parameters(scatter=False),
        Parameter("phases", "Phase scatter", "How differently the partials begin.", unit="%",
                  high=100.0, default=100.0),
    )  # fmt: skip


def _paired(own: Sequence[float], second: Sequence[float]) -> tuple[Floats, Floats]:
    """A list of partial numbers, rising, and where each of them glides to."""
    goals: dict[float, float] = {}
    for i, number in enumerate(own):
        goals.setdefault(number, second[i] if i < len(second) else number)
    listed = np.array(sorted(goals))
    return listed, np.array([goals[number] for number in listed])


@register(
    Module(
        family="source",
        kind="harmonic",
        category="Oscillators",
        groups=(
            (
                "Partials",
                "rule other_rule morph third_rule third count every list second_list list_glide",
            ),
            ("Balance", "tilt band band_centre band_width"),
            (
                "Tuning",
                "stretch stiffness stiffness_by scatter bundle bundle_spread endless phases",
            ),
            ("Ripple", "ripple ripple_length ripple_period ripple_way"),
            ("Place", "place width turn_period"),
        ),
        name="Harmonic",
        help="Up to 256 partials that rules choose, shape and move as one thing.",
        parameters=_parameters(),
        picture="partials",
    )
)
class Harmonic(InUnison):
    """Renders partials by rules."""

    makes_offset = False

    def __init__(self, *args: object) -> None:
        super().__init__(*args)
        part = self.part
        self._trajectories = {key: self.movement.trajectory(f"{self.path}.{key}") for key in MOVED}
        self._moved = Bundle([self._trajectories[key] for key in MOVED])
        self._level = self.movement.trajectory(f"{self.path}.level")
        self._phases = Phases(self.movement.trajectory(f"{self.path}.fine"), self.rate)
        self._bundle = int(part.number("bundle"))
        self._place = [p.value for p in PLACES].index(part.text("place"))
        self._ripple = self.movement.cycles(f"{self.path}.ripple_period")
        self._turning = self.movement.cycles(f"{self.path}.turn_period")
        self._glide = self.movement.travel(f"{self.path}.endless", per=60.0)
        self._endless = self.movement.trajectory(f"{self.path}.endless")
        self._every = self.movement.trajectory(f"{self.path}.every")
        self._list_glide = self.movement.trajectory(f"{self.path}.list_glide")
        self._added = Accumulated()
        self.prepare()

    def prepare(self) -> None:
        """See `Source.prepare`."""
        part, most = self.part, MOST // self._bundle
        every, own = self._every.base, part.numbers("list")
        self._has_third = part.text("third_rule") != NO_RULE.value
        keys = ["rule"]
        keys += ["other_rule"] if self._trajectories["morph"].acts else []
        keys += ["third_rule"] if self._has_third else []
        by = {"every": COUNTED * self._every.moved, "list": LISTED * self._list_glide.acts}
        named = [part.text(key if key in keys else "rule") for key in RULE_KEYS]
        self._numbers, self._ranks, self._movers = joined_rules(
            [numbers_of(rule, every, own, most) for rule in named],
            [int(by.get(rule, FIXED)) for rule in named],
            most,
        )
        self._lists = _paired(own, part.numbers("second_list"))
        self._rested_every = every

    def _values(self, moments: Moments, hertz: Floats) -> Floats:
        """Everything that shapes the partials, at every moment ``[moments, VALUES]``."""
        values = np.zeros((len(moments.times), partials.VALUES))
        values[:, list(MOVED.values())] = self._moved.values(moments).T
        if not self._has_third:
            values[:, partials.THIRD] = 0.0
        if self._trajectories["ripple"].acts:
            direction = 1.0 if self.part.text("ripple_way") == "up" else -1.0
            values[:, partials.RIPPLE_AT] = direction * self._ripple.at(moments)[0]
        if self.part.text("place") == "turning":
            values[:, partials.TURN_AT] = self._turning.at(moments)[0]
        values[:, partials.ENDLESS_AT] = self._glide.at(moments)[0]
        values[:, partials.HERTZ] = hertz
        return values

    def _numbers_at(self, moments: Moments) -> Floats:
        """Partial numbers ``[moments, partials]``, or ``[1, partials]`` where none moves."""
        if not self._movers.any():
            return self._numbers[None]
        return moved_numbers(
            self._numbers,
            self._movers,
            self._rested_every,
            self._every.values(moments)[0],
            self._lists,
            self._list_glide.values(moments)[0] / 100.0,
        )

    def _ratios(self, values: Floats, numbers: Floats) -> tuple[Floats, Floats]:
        """Multiples of the note's frequency of partials, and of all their sines."""
        base = np.empty((len(values), len(self._numbers)))
        ratio = np.empty((len(values), len(self._numbers) * self._bundle))
        partials.ratios(
            values,
            self._numbers,
            numbers,
            self._bundle,
            self._endless.acts,
            np.uint64(self.seed),
            base,
            ratio,
        )
        return base, ratio

    def shaped(
        self, moments: Moments, hertz: Floats, seed: int
    ) -> tuple[Floats, NDArray[np.float32], NDArray[np.float32]]:
        """Ratios, levels and places of the partials of one note ``[moments, partials]``."""
        values, numbers = self._values(moments, hertz), self._numbers_at(moments)
        base, ratio = self._ratios(values, numbers)
        level, pan = (np.zeros(ratio.shape, np.float32) for _ in range(2))
        shape_all(
            values,
            numbers,
            self._ranks,
            base,
            ratio,
            self._place,
            self._endless.acts,
            self.rate,
            np.uint64(derive(self.seed, seed)),
            level,
            pan,
        )
        if self._endless.acts:
            part_at_wraps(ratio, level)
        return ratio, level, pan

    def _still(self) -> bool:
        """Whether the partials keep their ratios to the note."""
        moving = ("stretch", "stiffness", "stiffness_by", "scatter", "bundle_spread")
        moved = any(self._trajectories[key].moved for key in moving)
        glides = self._every.moved or self._list_glide.moved
        return not self._endless.acts and not moved and not (glides and self._movers.any())

    def _begin(self, seed: int) -> NDArray[np.float64]:
        phase = np.zeros(len(self._numbers) * self._bundle)
        partials.start_phases(
            self.part.number("phases") / 100.0, np.uint64(derive(self.seed, seed)), phase
        )
        return phase

    def _cells(self, moments: Moments, pitch: Floats) -> tuple[Moments, Floats, Floats, Floats]:
        """The borders of cells, from moments at all ticks, the note in Hz there, and travels."""
        steps = self._phases.steps(moments, pitch)[0]
        borders = moments.at(moments.times[::CELL])
        whole, leaning = (np.empty((len(borders.times) - 1, CELL + 1)) for _ in range(2))
        travelled(steps, whole, leaning)
        return borders, steps[::CELL] * self.rate, whole, leaning

    def _partial_phases(
        self,
        block: SourceBlock,
        row: int,
        first: int,
        ratio: Floats,
        whole: Floats,
        leaning: Floats,
    ) -> NDArray[np.float64]:
        """Phases at the start of each cell from `first` on ``[cells, partials]``."""
        begin = self._begin(block.voices[row].seed)
        cells = len(whole)
        if self._still() and self._phases.steady(block, row):
            begun = first_tick(block, row) // CELL
            numbers = np.arange(first, first + cells)
            if block.ahead is None:
                passed = whole[0, CELL] * (numbers - begun)
            else:
                clock = self._phases.clock(block, row, numbers * CELL, begun * CELL)
                passed = self._phases.resting_step(block, row) * clock
            turned: Floats = begin[None, :] + ratio[:-1] * passed[:, None]
            return turned - np.floor(turned)

        def advance(phase: NDArray[np.float64], moments: Moments, pitch: Floats) -> None:
            borders, hertz, whole, leaning = self._cells(moments, pitch)
            _, ratio = self._ratios(self._values(borders, hertz), self._numbers_at(borders))
            advance_phases(phase, ratio, whole, leaning, np.empty((0, 0)))

        phase = self._added.up_to(block, row, begin, advance, CELL)
        found = np.empty((cells, len(begin)))
        advance_phases(phase, ratio, whole, leaning, found)
        complete = (block.span.first + block.span.ticks) // CELL - first
        self._added.keep(block, row, phase if complete == cells else found[complete], CELL)
        return found

    def save_state(self) -> dict[str, Any]:
        """See `Source.save_state`."""
        return {"phases": self._added.copy()}

    def restore_state(self, state: dict[str, Any]) -> None:
        """See `Source.restore_state`."""
        self._added.take(state["phases"])

    def picture(self, portrait: Portrait) -> Shown:
        """Every partial's level, frequency and place at every moment ``[moments, partials]``."""
        shape = (len(portrait.moments), len(self._numbers) * self._bundle)
        level, hertz, place = (
            np.zeros(shape, np.uint8),
            np.zeros(shape, np.uint16),
            np.full(shape, 128, np.uint8),
        )
        index = {moment: i for i, moment in enumerate(portrait.moments)}
        for moment, block in portrait.blocks(1):
            moments, pitch = block.history(0, block.span.first, 1)
            now = self._phases.steps(moments, pitch)[0, 0] * self.rate
            ratio, levels, pan = self.shaped(
                moments, np.full(len(moments.times), now), block.voices[0].seed
            )
            i = index[moment]
            # A lone partial has the amplitude of a sine of root mean square 1.
            level[i] = levels_of(levels[0].astype(float) / math.sqrt(2.0))
            hertz[i] = octaves_of(ratio[0] * now)
            place[i] = np.round(128.0 + 127.0 * np.clip(pan[0], -1.0, 1.0)).astype(np.uint8)
        return {"levels": level, "octaves": hertz, "places": place}

    def render_each(self, block: SourceBlock, out: NDArray[np.float32]) -> None:
        """See `InUnison.render_each`."""
        span = block.span
        end = span.first + span.ticks
        for row, voice in enumerate(block.voices):
            first = max(span.first // CELL, first_tick(block, row) // CELL)
            last = -(-end // CELL)
            if first >= last:
                continue
            # Where partials wrap is seen from the cells on both sides.
            before, after = (min(1, first), 1) if self._endless.acts else (0, 0)
            moments, pitch = block.history(
                row, (first - before) * CELL, (last - first + before + after) * CELL
            )
            borders, hertz, whole, leaning = self._cells(moments, pitch)
            ratio, level, pan = self.shaped(borders, hertz, voice.seed)
            inner, cells = slice(before, len(ratio) - after), slice(before, len(whole) - after)
            ratio, level, pan = ratio[inner], level[inner], pan[inner]
            whole, leaning = whole[cells], leaning[cells]
            loud = VOICE_RMS * 10.0 ** (self._level.values(moments)[0, ::CELL] / 20.0)
            left, right = (np.zeros_like(level) for _ in range(2))
            to_gains(level, pan, loud[before:], left, right)
            skip = TICK * max(0, first * CELL - span.first)
            begun = out[row] if skip == 0 else np.zeros((2, out.shape[2] - skip), np.float32)
            add_sines(
                self._partial_phases(block, row, first, ratio, whole, leaning),
                ratio,
                whole,
                leaning,
                left,
                right,
                max(0, span.first - first * CELL),
                begun,
            )
            if skip:
                out[row][:, skip:] = begun
