"""The reverb: sixteen delay lines that feed each other, dense and uncoloured at long decays.

Source: J.-M. Jot and A. Chaigne, "Digital delay networks for designing artificial
reverberators" (AES 1991): a line of d seconds has the gain 10^(-3 d / T60). The lines are mixed
by a Hadamard matrix, which loses no energy. Slow movement of the lines and of the matrix smears
their resonances; a burst of taps in front and taps inside the lines make it dense from the start.
"""

from __future__ import annotations

import math
from functools import cache

import numpy as np
from numpy.typing import NDArray

from caligo.catalogue import Module, Moves, Parameter, Scale, register
from caligo.document.sound import EffectPart
from caligo.kernels import CONTRACT, device, kernel
from caligo.movement.block import Block
from caligo.movement.chance import unit
from caligo.movement.moments import Moments
from caligo.movement.movement import Movement
from caligo.movement.notes import Floats
from caligo.processing import shared
from caligo.processing.effect import Effect
from caligo.processing.processor import Signal, State
from caligo.signal.decibels import gain
from caligo.signal.delay_line import ring_size
from caligo.signal.diffuser import diffuse
from caligo.signal.feedback_network import (
    APART,
    DAMPED,
    GROUPS,
    LINES,
    SCRATCH,
    SWAY,
    Scratch,
    darken,
    entrance,
    gather_inside,
    lose_and_gather,
    losses,
    mix_lines,
    pass_on,
    scratch,
    swing,
)
from caligo.signal.line_reading import read_lines
from caligo.signal.one_tick import give_tick, take_tick
from caligo.signal.scatter import feed, velvet
from caligo.signal.smoothing import one_pole_at
from caligo.signal.ticks import TICK
from caligo.signal.vector import WIDTH

DIFFUSERS = 4
SHORTEST, LONGEST = 0.031, 0.149
"""Seconds of the shortest and longest line at a size of 100 %."""
DIFFUSER_SECONDS = np.array([[0.0041, 0.0067, 0.0103, 0.0149], [0.0043, 0.0071, 0.0097, 0.0157]])
DIFFUSION = 0.65
BURST, TAPS = 0.03, 16
"""Seconds that what comes in is scattered over at a size of 100 %, and to how many taps: the first
answers of the lines overlap, so that no echo is heard alone before they are many."""
LONGEST_PRE_DELAY = 0.5
WET_GAIN = 1.37
"""Makes pink noise come out of the space, as it is by default, as loud as it goes in."""
VALUES = ("size", "decay", "damping", "freeze", "width", "mix", "pre_delay")
"""The numbers that the first rows of what the kernel is given are made of, in order."""
UNITS = np.array([[0.01], [1.0], [1.0], [0.01], [0.01], [0.01], [0.001]])
"""What each of them is multiplied by: hundredths for per cent, seconds of milliseconds."""
LARGEST = 200.0
"""The largest size in per cent."""


@cache
def line_seconds() -> NDArray[np.float64]:
    """Lengths of the lines in seconds ``[lines]`` at a size of 100 %.

    They are geometric, then shifted so that none divides another.
    """
    even = SHORTEST * (LONGEST / SHORTEST) ** (np.arange(LINES) / (LINES - 1))
    shifts = np.array([unit(np.uint64(97), i) - 0.5 for i in range(LINES)])
    found: NDArray[np.float64] = even * (1.0 + 0.06 * shifts)
    return found


@cache
def _bursts() -> tuple[NDArray[np.float64], NDArray[np.float32]]:
    """Places and gains of either channel ``[2, taps]``: the least coloured of 30,000 draws."""
    left, right = velvet(TAPS, 20_717), velvet(TAPS, 25_034)
    return np.stack([left[0], right[0]]), np.stack([left[1], right[1]])


@device(fastmath=CONTRACT)
def _output(
    dry: np.ndarray,
    heard: np.ndarray,
    width: np.ndarray,
    direct: np.ndarray,
    wet: np.ndarray,
    made_up: float,
) -> None:
    """Put what is heard of the space to a tick ``[2, TICK]`` in place.

    Width and gains are those at both ends of it ``[2]``; `made_up` is a factor of the latter gain.
    """
    fraction = np.float32(1.0 / TICK)
    spread, dry_gain = np.float32(width[0]), np.float32(direct[0])
    wet_gain, wet_step = (
        np.float32(made_up * wet[0]),
        fraction * np.float32(made_up * (wet[1] - wet[0])),
    )
    spread_step = fraction * np.float32(width[1] - width[0])
    dry_step = fraction * np.float32(direct[1] - direct[0])
    half = np.float32(0.5)
    for n in range(TICK):
        x = np.float32(n)
        middle = half * (heard[0, n] + heard[1, n])
        side = half * (heard[0, n] - heard[1, n]) * (spread + x * spread_step)
        dry_now, wet_now = dry_gain + x * dry_step, wet_gain + x * wet_step
        dry[0, n] = dry[0, n] * dry_now + wet_now * (middle + side)
        dry[1, n] = dry[1, n] * dry_now + wet_now * (middle - side)


@kernel(
    (
        "f4[:, ::1], f4[:, ::1], f4[:, :, ::1], f4[:, ::1], f4[:, ::1], f8[::1], i8, f8",
        "f8[:, ::1], f8, f8[:, ::1], f4[:, ::1], f8[:, ::1], f8[::1]",
        SCRATCH,
    )
)
def _run(
    signal: np.ndarray,
    pre: np.ndarray,
    early: np.ndarray,
    lines: np.ndarray,
    dull: np.ndarray,
    thin: np.ndarray,
    first: int,
    rate: float,
    values: np.ndarray,
    made_up: float,
    places: np.ndarray,
    gains: np.ndarray,
    diffusers: np.ndarray,
    seconds: np.ndarray,
    scratch: Scratch,
) -> None:
    """Reverberate `signal` ``[2, samples]`` in place, a tick at a time.

    Parameters
    ----------
    pre, early, lines
        Delay lines as rings: ``[2, size]``, ``[2, DIFFUSERS, size]``, ``[LINES, size]``.
    dull, thin
        One-pole states: damping of each line ``[GROUPS, WIDTH]``, low cut of each channel ``[2]``.
    values
        The size as a fraction, seconds to fall by 60 dB, the cutoff in Hz above which it falls
        faster, freeze and width as fractions, the direct signal's gain, seconds of pre-delay, the
        gain of what is heard of the lines, and the low cut's one-pole coefficient, at every tick
        ``[9, ticks + 1]``.
    made_up
        By what all that is heard of the lines is louder, see `Block.heard_from`.
    places, gains
        The burst that what comes in is scattered to: fractions of its length and gains ``[2,
        taps]``.
    diffusers, seconds
        Lengths of the diffusers ``[2, DIFFUSERS]`` and the lines ``[LINES]`` at a size of 1, in
        seconds.
    scratch
        See `Scratch`.
    """
    size, decay, damping, freeze, width = values[0], values[1], values[2], values[3], values[4]
    direct, pre_delay, wet, low_cut = values[5], values[6], values[7], values[8]
    dry, fed, heard, held, powers = (
        scratch.dry,
        scratch.fed,
        scratch.heard,
        scratch.held,
        scratch.powers,
    )
    gain, to_gain, inside, to_inside = (
        scratch.gain[0],
        scratch.gain[1],
        scratch.inside[0],
        scratch.inside[1],
    )
    to_dark, away, to_away = scratch.dark[GROUPS:], scratch.away[0], scratch.away[1]
    cosine, to_cosine, sine, to_sine = (
        scratch.cosine[0],
        scratch.cosine[1],
        scratch.sine[0],
        scratch.sine[1],
    )
    losses(
        seconds, size[0], decay[0], damping[0], freeze[0], rate, to_gain, to_dark, to_inside, powers
    )
    to_enter = entrance(to_gain, to_inside)
    pass_on(scratch.gain)
    pass_on(scratch.inside)
    pass_on(scratch.dark)
    swing(first * TICK / rate, freeze[0], to_away, to_cosine, to_sine)
    for k in range(len(decay) - 1):
        at = (first + k) * TICK
        take_tick(signal, k, dry)
        feed(
            dry, pre, at, rate, pre_delay[k], pre_delay[k + 1], BURST * size[k],
            BURST * size[k + 1], places, gains, low_cut[k], thin, fed,
        )  # fmt: skip
        for c in range(2):
            for d in range(DIFFUSERS):
                length = int(diffusers[c, d] * min(size[k], 2.0) * rate)
                to_length = int(diffusers[c, d] * min(size[k + 1], 2.0) * rate)
                diffuse(fed[c], early[c, d], at, length, to_length, DIFFUSION)
        enters = to_enter
        moves = decay[k + 1] != decay[k] or size[k + 1] != size[k] or freeze[k + 1] != freeze[k]
        if moves or damping[k + 1] != damping[k]:
            losses(
                seconds, size[k + 1], decay[k + 1], damping[k + 1], freeze[k + 1], rate,
                to_gain, to_dark, to_inside, powers,
            )  # fmt: skip
            to_enter = entrance(to_gain, to_inside)
        enter_step = np.float32((to_enter - enters) / TICK)
        for c in range(2):
            for n in range(TICK):
                fed[c, n] *= np.float32(enters) + np.float32(n) * enter_step
        pass_on(scratch.away)
        pass_on(scratch.cosine)
        pass_on(scratch.sine)
        swing((at + TICK) / rate, freeze[k + 1], to_away, to_cosine, to_sine)
        read_lines(
            lines, at, rate, seconds, size[k], size[k + 1], freeze[k], freeze[k + 1],
            away, to_away, scratch.places, held,
        )  # fmt: skip
        lose_and_gather(held, gain, to_gain, heard)
        gather_inside(lines, at, rate, seconds, size[k], size[k + 1], inside, to_inside, heard)
        mix_lines(held, cosine, sine, to_cosine, to_sine, fed)
        darken(held, scratch.dark, dull, at, lines, scratch.turned)
        pass_on(scratch.gain)
        pass_on(scratch.inside)
        pass_on(scratch.dark)
        ends = slice(k, k + 2)
        _output(dry, heard, width[ends], direct[ends], wet[ends], made_up)
        give_tick(dry, signal, k)
    if not math.isfinite(dull.sum()):
        lines[:] = 0.0
        dull[:] = 0.0
        early[:] = 0.0
        signal[:] = 0.0


@register(
    Module(
        family="effect",
        kind="reverb",
        name="Reverb",
        category="Space",
        help="A large space that stays dense and even, up to a decay of half a minute.",
        parameters=(
            Parameter(
                "decay",
                "Decay",
                "Time to fall by 60 dB (ISO 3382-1). As long as the walls are far at least: half a "
                "second at a size of 200 %.",
                unit="s",
                low=0.3,
                high=30.0,
                default=6.0,
                scale=Scale.LOGARITHMIC,
                moves=Moves.SHARED,
                group="Space",
            ),
            Parameter(
                "size",
                "Size",
                "Distance of the walls.",
                unit="%",
                low=40.0,
                high=LARGEST,
                default=120.0,
                moves=Moves.SHARED,
                group="Space",
            ),
            Parameter(
                "pre_delay",
                "Pre-delay",
                "Wait before the space answers.",
                unit="ms",
                high=LONGEST_PRE_DELAY * 1000,
                default=20.0,
                moves=Moves.SHARED,
                group="Space",
            ),
            Parameter(
                "freeze",
                "Freeze",
                "Holds what is in the space for ever, and lets nothing more in.",
                unit="%",
                high=100.0,
                default=0.0,
                moves=Moves.SHARED,
                group="Space",
            ),
            Parameter(
                "damping",
                "Damping",
                "Above this the space swallows sound faster.",
                unit="Hz",
                low=500.0,
                high=20_000.0,
                default=6_000.0,
                scale=Scale.LOGARITHMIC,
                moves=Moves.SHARED,
                group="Tone",
            ),
            Parameter(
                "low_cut",
                "Low cut",
                "What lies below stays out of the space.",
                unit="Hz",
                low=20.0,
                high=1_000.0,
                default=120.0,
                scale=Scale.LOGARITHMIC,
                moves=Moves.SHARED,
                group="Tone",
            ),
            Parameter(
                "width",
                "Width",
                "Stereo width of the space.",
                unit="%",
                high=150.0,
                default=100.0,
                moves=Moves.SHARED,
                group="Output",
            ),
            shared.level(
                "level",
                "Level",
                "Of the space, whatever its decay and size.",
                0.0,
                low=-36.0,
                high=24.0,
                group="Output",
            ),
            Parameter(
                "mix",
                "Mix",
                "Space against the direct signal.",
                unit="%",
                high=100.0,
                default=100.0,
                moves=Moves.SHARED,
                group="Output",
            ),
        ),
    )
)
class Reverb(Effect):
    """Two channels of diffusion into a feedback network of sixteen lines."""

    def __init__(self, part: EffectPart, address: str, movement: Movement, rate: int) -> None:
        super().__init__(part, address, movement, rate)
        self._scratch = scratch()
        self._moved = self.bundle(*VALUES)

    def initial_state(self) -> State:
        """See `Effect.initial_state`."""
        longest = LONGEST * 1.03 * LARGEST / 100.0 + 2 * SWAY
        diffuser = 0.016 * 2.0

        def ring(seconds: float) -> int:
            return ring_size(seconds * self.rate)

        return {
            "pre": np.zeros((2, ring(LONGEST_PRE_DELAY + BURST * LARGEST / 100.0)), np.float32),
            "early": np.zeros((2, DIFFUSERS, ring(diffuser)), np.float32),
            "lines": np.zeros((LINES, ring(longest) + APART), np.float32),
            "dull": np.zeros((GROUPS, WIDTH), np.float32),
            "thin": np.zeros(2),
        }

    def process_stereo(self, block: Block, signal: Signal, sidechain: Signal | None) -> None:
        """See `Effect.process_stereo`."""
        values = block.moments.for_all_notes(id(self), self._values)
        state = self.state
        _run(
            signal,
            state["pre"],
            state["early"],
            state["lines"],
            state["dull"],
            state["thin"],
            block.span.first,
            float(self.rate),
            values,
            1.0 / math.sqrt(self._fraction_heard(block, values[1])),
            *_bursts(),
            DIFFUSER_SECONDS,
            line_seconds(),
            self._scratch,
        )

    def _values(self, moments: Moments) -> Floats:
        """The values of `_run` at every tick ``[9, ticks + 1]``."""
        level, low_cut = (self.trajectory(key).compact(moments)[0] for key in ("level", "low_cut"))
        found = np.empty((len(VALUES) + 2, len(moments.times)))
        found[: len(VALUES)] = UNITS * self._moved.values(moments)
        mix = found[5]
        found[7] = WET_GAIN * gain(level) * mix
        found[8] = one_pole_at(low_cut, self.rate)
        np.subtract(1.0, mix, out=mix)
        return found

    def _fraction_heard(self, block: Block, decay: NDArray[np.float64]) -> float:
        """The fraction of the space's energy that what has been rendered accounts for.

        Exponential decays by 60 dB (ISO 3382-1), integrated up to the middle of the block: that of
        `decay` seconds ``[ticks + 1]``, and beside it that of the damped highs, which are there
        sooner.
        """
        if block.heard == math.inf:
            return 1.0
        heard, mean = max(0.05, block.heard), float(decay.mean())
        lows, highs = (1.0 - 10.0 ** (-6.0 * heard / d) for d in (mean, DAMPED * mean))
        return float(2.0 * lows + highs) / 3.0

    def tail(self) -> float:
        """See `Processor.tail`; partly frozen it falls so much more slowly, wholly never."""
        thawed = 1.0 - self.trajectory("freeze").reach()[1] / 100.0
        if thawed <= 0.0:
            return math.inf
        longest = self.trajectory("decay").reach()[1] / thawed
        return longest * 1.05 + self.trajectory("pre_delay").reach()[1] / 1000.0 + 0.1
