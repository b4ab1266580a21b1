"""Resonators: up to eight strings that answer what comes in, tuned to a chord or to the notes."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from caligo.catalogue import Choice, Kind, Module, Moves, Parameter, Scale, register
from caligo.document.sound import EffectPart, Part
from caligo.kernels import kernel
from caligo.movement.block import Block
from caligo.movement.movement import Movement
from caligo.movement.notes import Floats
from caligo.movement.periods import paced_parameter
from caligo.movement.voices import Tuning
from caligo.processing import shared
from caligo.processing.effect_lfo import EffectLFO
from caligo.processing.held_strings import HeldStrings
from caligo.processing.processor import Signal, State
from caligo.signal.gains import scale_stereo
from caligo.signal.short_loop import SHORTEST, run_short_loop
from caligo.signal.smoothing import one_pole_at, one_pole_delay
from caligo.signal.string_loop import MEMORY, run_strings, tuned_loop
from caligo.signal.ticks import TICK

MOST = 8
LOWEST = 20.0
LONGEST_DECAY = 20.0
TURNING = ("placed", ("turning",))
MOST_KEPT = 0.99995
"""What of a turn is left at most."""


@kernel("f4[:, :, ::1], f8[:, :, ::1], f8[::1], f4[:, ::1]")
def _gather(strings: np.ndarray, gains: np.ndarray, mix: np.ndarray, signal: np.ndarray) -> None:
    """Mix strings ``[strings, 2, samples]`` into `signal` ``[2, samples]``.

    `gains` ``[strings, 2, ticks + 1]`` place each; `mix` ``[ticks + 1]`` is their share.
    """
    for k in range(len(mix) - 1):
        for n in range(TICK):
            i, position = k * TICK + n, n / TICK
            fraction = mix[k] + position * (mix[k + 1] - mix[k])
            for c in range(2):
                wet = 0.0
                for s in range(len(strings)):
                    g = gains[s, c, k] + position * (gains[s, c, k + 1] - gains[s, c, k])
                    wet += g * strings[s, c, i]
                signal[c, i] += fraction * (wet - signal[c, i])


@register(
    Module(
        family="effect",
        kind="resonators",
        name="Resonators",
        help="Strings tuned to a chord that ring along, and turn slowly in the stereo picture.",
        category="Space",
        parameters=(
            Parameter("tuned", "Tuned", "To a chord of their own, or each to a note that is held.",
                      default="chord", kind=Kind.CHOICE, group="Tuning",
                      choices=(Choice("chord", "To a chord"), Choice("held", "To held notes"))),
            Parameter("chord", "Chord", "The strings, in semitones over the root.",
                      default="0 7 12 19 26", kind=Kind.NUMBERS, unit="st", low=-24.0, high=60.0,
                      most=MOST, group="Tuning", when=("tuned", ("chord",))),
            replace(
                shared.hertz("root", "Root", "Frequency of 0 semitones.", 65.40639, low=LOWEST,
                             high=1_000.0, group="Tuning"),
                when=("tuned", ("chord",)),
            ),
            Parameter("octave", "Octave", "Strings tuned to notes lie so many octaves over them.",
                      unit="oct", low=-2, high=3, kind=Kind.INTEGER, group="Tuning",
                      when=("tuned", ("held",))),
            Parameter("decay", "Decay", "Time to fall by 60 dB.", unit="s", low=0.1,
                      high=LONGEST_DECAY, default=4.0, scale=Scale.LOGARITHMIC,
                      moves=Moves.SHARED, group="Ringing"),
            shared.hertz("damping", "Damping", "Above this strings fade sooner.", 6_000.0,
                         low=500.0, group="Ringing"),
            Parameter("slope", "Damping slope", "With 12 dB fundamentals ring as long as the decay "
                      "says, with 6 dB high strings fade sooner as a whole.",
                      default="12", kind=Kind.CHOICE, group="Ringing",
                      choices=(Choice("6", "6 dB"), Choice("12", "12 dB"))),
            Parameter("placed", "Placed", "All turning, or each in a direction of its own.",
                      default="turning", kind=Kind.CHOICE, group="Movement",
                      choices=(Choice("turning", "Turning"), Choice("own", "Own directions"))),
            Parameter("directions", "Directions", "Where the strings stand, one after the other, "
                      "from -100 left to 100 right; shorter lists begin again.",
                      default="-80 40 -20 80 0 -60 20 60", kind=Kind.NUMBERS, unit="%", low=-100.0,
                      high=100.0, most=MOST, group="Movement", when=("placed", ("own",))),
            replace(
                shared.period("Length of one turn of the strings in the picture.", 40.0),
                when=TURNING,
            ),
            replace(paced_parameter(group="Movement"), when=TURNING),
            replace(
                shared.percent("spread", "Spread", "How far apart the strings stand.", 70.0,
                               group="Movement"),
                when=TURNING,
            ),
            shared.mix("Strings against the direct signal.", 40.0),
        ),
    )
)  # fmt: skip
class Resonators(EffectLFO):
    """Short loops side by side, each as long as a period of its pitch."""

    def __init__(self, part: EffectPart, address: str, movement: Movement, rate: int) -> None:
        self._held: HeldStrings | None = None
        self._ratios = np.exp2(np.array(part.numbers("chord") or [0.0]) / 12.0)
        if self.follows_notes(part):
            self._held = HeldStrings(
                MOST, Tuning(movement.sound.number("a4"), movement.sound.scale)
            )
            self._ratios = np.full(MOST, 2.0 ** part.number("octave"))
        self._steep = part.text("slope") == "12"
        self._directions: Floats | None = None
        if part.text("placed") == "own":
            own = part.numbers("directions") or [0.0]
            self._directions = np.resize(own, len(self._ratios))[:, None] / 100.0
        super().__init__(part, address, movement, rate)

    @classmethod
    def follows_notes(cls, part: Part) -> bool:
        """See `Processor.follows_notes`."""
        return part.text("tuned") == "held"

    def initial_state(self) -> State:
        """See `Effect.initial_state`."""
        size = 1 << math.ceil(math.log2(self.rate / LOWEST + 2 * TICK))
        held = MEMORY if self._steep else 1
        return {"strings": np.zeros((len(self._ratios), 2, size + held))}

    def process_stereo(self, block: Block, signal: Signal, sidechain: Signal | None) -> None:
        """See `Effect.process_stereo`."""
        root, decay, damping, spread, mix = (
            self.trajectory(key).values(block.moments)[0]
            for key in ("root", "decay", "damping", "spread", "mix")
        )
        count = len(self._ratios)
        fed, kept, heard = (np.ones((count, 1)) for _ in range(3))
        if self._held is not None:
            moments = block.moments
            root, fed, kept, heard = self._held.at(moments.started, moments.times)
        tuned = np.clip(root * self._ratios[:, None], LOWEST, 0.45 * self.rate / SHORTEST)
        strings = np.repeat(signal[None], count, axis=0)
        if self._held is not None:
            for s in range(count):
                scale_stereo(strings[s : s + 1], fed[s])
        ring = self._ring_steep if self._steep else self._ring_gently
        ring(strings, tuned, damping, decay, kept, block)
        self._place(strings, signal, spread, mix, heard, block)

    def _ring_steep(
        self,
        strings: Signal,
        tuned: Floats,
        damping: Floats,
        decay: Floats,
        kept: Floats,
        block: Block,
    ) -> None:
        """Strings ``[strings, 2, samples]``, in place.

        `tuned` and `kept` are ``[strings, ticks + 1]``, `damping` and `decay` ``[ticks + 1]``.
        """
        dampings = np.broadcast_to(damping, tuned.shape)
        length, lowpass, round_trip = tuned_loop(tuned, dampings, self.rate)
        # Each turn loses its fraction of the decay.
        back = kept * np.minimum(np.power(10.0, -3.0 * round_trip / decay), MOST_KEPT)
        run_strings(
            strings,
            length,
            back,
            lowpass,
            np.sqrt(1.0 - back**2),
            block.span.first * TICK,
            self.state["strings"],
        )

    def _ring_gently(
        self,
        strings: Signal,
        tuned: Floats,
        damping: Floats,
        decay: Floats,
        kept: Floats,
        block: Block,
    ) -> None:
        """The same with a low-pass of one pole, which takes from high fundamentals too."""
        dark = np.broadcast_to(one_pole_at(damping, self.rate), tuned.shape[1:])
        turn = 2.0 * np.pi * tuned / self.rate
        length = np.maximum(self.rate / tuned - one_pole_delay(turn, dark), SHORTEST)
        # Each turn loses its fraction of the decay, of which the damping takes some at the pitch.
        taken = dark / np.sqrt(1.0 - 2.0 * (1.0 - dark) * np.cos(turn) + (1.0 - dark) ** 2)
        back = kept * np.minimum(np.power(10.0, -3.0 / (tuned * decay)) / taken, MOST_KEPT)
        rest = np.zeros_like(back)
        run_short_loop(
            strings,
            np.repeat(length[:, None], 2, axis=1),
            back,
            np.array(np.broadcast_to(dark, back.shape), order="C"),
            np.stack([rest, np.sqrt(1.0 - back**2), rest], axis=1),
            block.span.first * TICK,
            self.state["strings"],
        )

    def _place(
        self,
        strings: Signal,
        signal: Signal,
        spread: Floats,
        mix: Floats,
        heard: Floats,
        block: Block,
    ) -> None:
        """Mix strings into the signal ``[2, samples]``, each where it stands in the picture."""
        count = len(strings)
        if self._directions is None:
            turn = self.cycles(block) + np.arange(count)[:, None] / count
            place = spread / 100.0 * np.sin(2.0 * np.pi * turn)
        else:
            place = np.repeat(self._directions, len(mix), axis=1)
        angle = (1.0 + place) * (math.pi / 4.0)
        # Of the strings for notes, half are taken to sound at a time.
        level = math.sqrt(2.0 / (count if self._held is None else MOST // 2))
        gains = np.stack([np.cos(angle), np.sin(angle)], axis=1) * level * heard[:, None]
        _gather(strings, gains, mix / 100.0, signal)

    def tail(self) -> float:
        """See `Processor.tail`."""
        return 1.1 * self.trajectory("decay").reach()[1] + 0.1
