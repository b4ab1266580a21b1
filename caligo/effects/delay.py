"""The delay: echoes of each channel at a time of its own, darker, higher and thinner by turns.

A tick is taken at once, so the shortest echo is longer than a tick.
"""

from __future__ import annotations

import math

import numpy as np

from caligo.catalogue import Choice, Kind, Module, Moves, Parameter, Scale, register
from caligo.document.sound import EffectPart
from caligo.kernels import CONTRACT, device, kernel
from caligo.movement.block import Block
from caligo.movement.moments import Moments
from caligo.movement.movement import Movement
from caligo.movement.notes import Floats
from caligo.processing import shared
from caligo.processing.effect import Effect
from caligo.processing.processor import Signal, State
from caligo.signal.aligned import zeros
from caligo.signal.arrays import copy
from caligo.signal.delay_line import ring_size
from caligo.signal.diffuser import diffuse
from caligo.signal.exponential import sine_of_turns
from caligo.signal.one_tick import give_tick, take_tick
from caligo.signal.silence import DEAD
from caligo.signal.sinc import read_sinc, read_standing, sinc_table
from caligo.signal.smoothing import one_pole, one_pole_at
from caligo.signal.soft_ceiling import below_ceiling
from caligo.signal.splice import HEADS, longest, shift_pitch
from caligo.signal.ticks import TICK

FRACTIONS = (
    "feedback", "crossing", "damping", "low_cut", "diffusion", "pitched", "ducking", "mix",
)  # fmt: skip
"""The numbers that stand in the first rows of what the kernel is given, in order."""
LONGEST = 8.0
SHORTEST = 0.002
MOST_FEEDBACK = 1.0
UNITS = np.array([[MOST_FEEDBACK / 100.0], [0.01], [1.0], [1.0], [0.01], [0.01],
                  [math.log(10.0) / 20.0], [0.01]])  # fmt: skip
"""What each of the numbers is multiplied by: hundredths for per cent, logarithms of decibels."""
DIFFUSERS = np.array([[0.0131, 0.0197, 0.0293], [0.0139, 0.0183, 0.0307]])
"""Seconds of the all-pass sections of either channel."""
NO_DIFFUSERS = np.zeros((2, 0))
DIFFUSION = 0.62
"""How much of itself each all-pass gives back."""
FADE = 32
"""Ticks in which an echo without change of pitch goes over to a new time: 43 ms at 48 kHz."""
LEAP = 0.5
"""Samples that a time may change in a sample: by more, two readings are crossfaded."""
SIDES = ("left", "right")
WIDEST = 2_400.0
"""Cents by which a turn shifts an echo at most."""
LAWS = {"power": math.sqrt(0.5), "linear": 1.0}
"""How much of both sides together begins on the left, where all crosses over."""
SINCS = sinc_table()
HELD = longest(2.0 ** (WIDEST / 1_200.0)) + 0.1
"""Seconds that the pitch shifter holds, on its way between any two pitches."""
QUIETEST, LOUDEST = 0.01, 0.25
"""Levels between which ducking sets in: -40 to -12 dB under full scale."""
LOUDER = math.log(LOUDEST / QUIETEST)
FOLLOW = 60.0
"""Milliseconds over which the level for ducking is followed."""


@device
def _read_smooth(
    line: np.ndarray,
    at: int,
    wanted: float,
    ends: np.ndarray,
    sincs: np.ndarray,
    out: np.ndarray,
    other: np.ndarray,
) -> None:
    """The echo of a tick into `out` ``[TICK]``, without a change of pitch; `other` is room.

    On a fixed grid of `FADE` ticks it goes over from the length that was wanted at the grid's last
    point but one to that of the last: `ends` ``[2]``; carried on.
    """
    place = (at // TICK) % FADE
    if place == 0 or ends[1] == 0.0:
        ends[0] = ends[1] if ends[1] > 0.0 else wanted
        ends[1] = wanted
    read_standing(line, at, ends[0], sincs, out)
    if ends[1] == ends[0]:
        return
    read_standing(line, at, ends[1], sincs, other)
    begin, step = 0.25 * place / FADE, 0.25 / (FADE * TICK)
    for n in range(TICK):
        # A raised cosine is the square of the sine of half the angle.
        rise = sine_of_turns(begin + n * step)
        out[n] += np.float32(rise * rise) * (other[n] - out[n])


@device
def _read_tape(
    line: np.ndarray, at: int, away: float, end: float, sincs: np.ndarray, out: np.ndarray,
    other: np.ndarray,
) -> None:  # fmt: skip
    """The echo of a tick into `out` ``[TICK]``, bent in pitch; a leap is crossfaded.

    `other` is room.
    """
    if abs(end - away) < LEAP * TICK:
        read_sinc(line, at, away, (end - away) / TICK, sincs, out)
        return
    read_standing(line, at, away, sincs, out)
    read_standing(line, at, end, sincs, other)
    for n in range(TICK):
        out[n] += np.float32(n / TICK) * (other[n] - out[n])


@device(fastmath=CONTRACT)
def _colour(
    heard: np.ndarray, back: np.ndarray, now: np.ndarray, steps: np.ndarray, ones: np.ndarray
) -> None:
    """Damping and low cut of what goes back: from `heard` to `back`, ``[2, TICK]`` both."""
    dark_l, dark_r, thin_l, thin_r = ones[0], ones[1], ones[2], ones[3]
    left, right, to_left, to_right = heard[0], heard[1], back[0], back[1]
    dark, thin = now[2], now[3]
    dark_step, thin_step = steps[2], steps[3]
    # Both sides go in one loop, so that the processor overlaps them, and what does not wait for
    # the sample before is multiplied ahead.
    for n in range(TICK):
        stays, rests = 1.0 - dark, 1.0 - thin
        dark_l = stays * dark_l + dark * left[n]
        dark_r = stays * dark_r + dark * right[n]
        thin_l = rests * thin_l + thin * dark_l
        thin_r = rests * thin_r + thin * dark_r
        to_left[n] = dark_l - thin_l
        to_right[n] = dark_r - thin_r
        dark += dark_step
        thin += thin_step
    ones[0], ones[1], ones[2], ones[3] = dark_l, dark_r, thin_l, thin_r
    for i in range(4):
        ones[i] = ones[i] if abs(ones[i]) > DEAD else 0.0


@device(fastmath=CONTRACT)
def _fed(
    dry: np.ndarray, back: np.ndarray, c: int, now: np.ndarray, steps: np.ndarray, law: float,
    out: np.ndarray,
) -> None:  # fmt: skip
    """What goes into the line of side `c`, into `out` ``[TICK]``.

    `dry` and `back` ``[2, TICK]`` are what comes in and what comes back.
    """
    given, beside, own, other = dry[c], dry[1 - c], back[c], back[1 - c]
    feedback, feedback_step = np.float32(now[0]), np.float32(steps[0])
    across, across_step = np.float32(now[1]), np.float32(steps[1])
    # All of what crosses over begins on the left: the echoes go from side to side.
    begins = np.float32(law if c == 0 else 0.0)
    for n in range(TICK):
        x = np.float32(n)
        over = across + x * across_step
        fed = given[n] + over * (begins * (given[n] + beside[n]) - given[n])
        back_again = own[n] + over * (other[n] - own[n])
        out[n] = fed + (feedback + x * feedback_step) * back_again


@device(fastmath=CONTRACT)
def _blend(other: np.ndarray, fraction: float, step: float, out: np.ndarray) -> None:
    """Go over from `out` to another tick ``[TICK]`` by a fraction, in place."""
    first, more = np.float32(fraction), np.float32(step)
    for n in range(TICK):
        out[n] += (first + np.float32(n) * more) * (other[n] - out[n])


@device
def _keep(x: np.ndarray, line: np.ndarray, here: int) -> None:
    """Write a tick into the line; a loop that gives back all stays below a ceiling of its own."""
    to = line[here : here + TICK]
    for n in range(TICK):
        to[n] = below_ceiling(x[n])


@device(fastmath=CONTRACT)
def _answer(
    dry: np.ndarray,
    heard: np.ndarray,
    now: np.ndarray,
    steps: np.ndarray,
    follow: float,
    level: float,
) -> float:
    """Mix the echoes ``[2, TICK]`` in, ducked by the level of what plays; the level after it."""
    if follow > 0.0:
        for n in range(TICK):
            level += follow * (max(abs(dry[0, n]), abs(dry[1, n])) - level)
            over = math.log(max(level, QUIETEST) / QUIETEST) / LOUDER
            duck = np.float32(math.exp(-(now[6] + n * steps[6]) * min(over, 1.0)))
            heard[0, n] *= duck
            heard[1, n] *= duck
    fraction, fraction_step = np.float32(now[7]), np.float32(steps[7])
    for c in range(2):
        for n in range(TICK):
            m = fraction + np.float32(n) * fraction_step
            dry[c, n] += m * (heard[c, n] - dry[c, n])
    return level if level > 1e-12 else 0.0


@kernel(
    "f4[:, ::1], f4[:, ::1], f4[:, :, ::1], f4[:, ::1], f8[::1], i8, f8, f8[:, ::1], "
    "f8[:, ::1], b1, b1, f8, f8, f4[:, ::1], f8[:, ::1], f4[:, :, ::1], f8[:, ::1]",
    allocates=True,
)
def _run(
    signal: np.ndarray,
    lines: np.ndarray,
    smear: np.ndarray,
    shifting: np.ndarray,
    ones: np.ndarray,
    first: int,
    rate: float,
    values: np.ndarray,
    diffusers: np.ndarray,
    shifts: bool,
    tape: bool,
    law: float,
    follow: float,
    sincs: np.ndarray,
    heads: np.ndarray,
    scratch: np.ndarray,
    ends: np.ndarray,
) -> None:
    """Delay `signal` ``[2, samples]`` in place, a tick at a time.

    Parameters
    ----------
    lines, smear, shifting
        Rings of the echoes ``[2, size]``, of the all-passes ``[2, 3, size]`` and of the pitch
        shifter ``[2, size]``.
    ones
        The low-passes of damping and low cut of either channel, the level for ducking, and between
        which lengths each channel is going over ``[9]``.
    values
        Feedback, crossing, one-pole coefficients of damping and low cut, diffusion, pitch's
        fraction, ducking, mix, samples of each channel's echo, and how fast the pitch shifter reads
        each, at every tick ``[12, ticks + 1]``.
    shifts
        Whether the pitch shifter acts.
    tape
        Whether a moving time changes the pitch.
    law
        See `LAWS`.
    follow
        The one-pole coefficient of the level for ducking; 0 where nothing ducks.
    sincs, heads
        See `sinc_table`, and `shift_pitch`.
    scratch, ends
        Scratch memory for what happens in a tick ``[5, 2, TICK]``, and for values and steps ``[2,
        8]``.
    """
    dry, heard, back, made, cloud = scratch[0], scratch[1], scratch[2], scratch[3, 0], scratch[3, 1]
    shifted = scratch[4]
    now, steps = ends[0], ends[1]
    for k in range(values.shape[1] - 1):
        at = (first + k) * TICK
        take_tick(signal, k, dry)
        for i in range(8):
            now[i], steps[i] = values[i, k], (values[i, k + 1] - values[i, k]) / TICK
        for c in range(2):
            if tape:
                _read_tape(
                    lines[c], at, values[8 + c, k], values[8 + c, k + 1], sincs, heard[c], made
                )
            else:
                _read_smooth(
                    lines[c],
                    at,
                    values[8 + c, k],
                    ones[5 + 2 * c : 7 + 2 * c],
                    sincs,
                    heard[c],
                    made,
                )
        _colour(heard, back, now, steps, ones)
        if shifts:
            for c in range(2):
                copy(back[c], shifted[c])
            shift_pitch(
                shifted, shifting, at, rate, values[10:, k], values[10:, k + 1], sincs, heads
            )
            for c in range(2):
                _blend(shifted[c], now[5], steps[5], back[c])
        for c in range(2):
            _fed(dry, back, c, now, steps, law, made)
            if diffusers.shape[1] > 0:
                copy(made, cloud)
                for d in range(diffusers.shape[1]):
                    size = int(diffusers[c, d] * rate)
                    diffuse(cloud, smear[c, d], at, size, size, DIFFUSION)
                _blend(cloud, now[4], steps[4], made)
            _keep(made, lines[c], at & (lines.shape[1] - 1))
        ones[4] = _answer(dry, heard, now, steps, follow, ones[4])
        give_tick(dry, signal, k)
    if not math.isfinite(ones.sum()):
        lines[:] = 0.0
        smear[:] = 0.0
        shifting[:] = 0.0
        heads[:] = 0.0
        ones[:] = 0.0
        signal[:] = 0.0


def _time(key: str, name: str, default: float) -> Parameter:
    return Parameter(
        key,
        name,
        "Time to the first echo, in seconds or beats.",
        unit="s",
        low=SHORTEST,
        high=LONGEST,
        default=default,
        kind=Kind.TIME,
        scale=Scale.LOGARITHMIC,
        moves=Moves.SHARED,
        group="Time",
    )


def _pitch(side: str) -> Parameter:
    return Parameter(
        f"pitch_{side}",
        f"Pitch {side}",
        f"What each turn shifts an echo on the {side} by, in cents.",
        unit="ct",
        low=-WIDEST,
        high=WIDEST,
        default=0.0,
        moves=Moves.SHARED,
        group="Pitch in the loop",
    )


@register(
    Module(
        family="effect",
        kind="delay",
        name="Delay",
        help="Echoes of either side, darker or higher with each turn.",
        category="Space",
        parameters=(
            _time("left", "Left", 0.48),
            _time("right", "Right", 0.64),
            Parameter("moving", "Moving times", "Whether a time that moves bends the pitch.",
                      default="tape", kind=Kind.CHOICE, group="Time",
                      choices=(Choice("tape", "As tape, bends"),
                               Choice("smooth", "Without pitch"))),
            shared.percent("feedback", "Feedback", "How much of an echo is echoed again.", 45.0,
                         group="Echoes"),
            shared.percent("crossing", "Crossing", "How far echoes go from side to side.", 0.0,
                         group="Echoes"),
            Parameter("law", "Crossing law", "Whether what begins on the left, where all crosses "
                      "over, is as loud as both sides were, or their plain sum.",
                      default="power", kind=Kind.CHOICE, group="Echoes",
                      choices=(Choice("power", "Equal power"), Choice("linear", "Linear"))),
            shared.percent("diffusion", "Diffusion", "How far echoes smear into a cloud.", 0.0,
                         group="Echoes"),
            shared.hertz("damping", "Damping", "Above this each echo gets darker.", 5_000.0,
                         low=200.0, group="Tone"),
            shared.hertz("low_cut", "Low cut", "Below this each echo gets thinner.", 120.0,
                         high=2_000.0, group="Tone"),
            _pitch("left"),
            _pitch("right"),
            shared.percent("pitched", "Pitched", "How much of an echo is shifted.", 50.0,
                           group="Pitch in the loop"),
            shared.level("ducking", "Ducking", "How far echoes give way while the signal is loud.",
                         0.0, low=0.0, high=36.0, group="Output"),
            shared.mix("Echoes against the direct signal.", 30.0),
        ),
    )
)  # fmt: skip
class Delay(Effect):
    """Two lines that may feed each other."""

    def __init__(self, part: EffectPart, address: str, movement: Movement, rate: int) -> None:
        super().__init__(part, address, movement, rate)
        self._tempo = movement.setting.tempo
        self._moved = self.bundle(*FRACTIONS)
        self._scratch = zeros((5, 2, TICK))
        self._ends = zeros((2, len(FRACTIONS)), float)
        self._pitches = self.bundle(*(f"pitch_{side}" for side in SIDES))

    def initial_state(self) -> State:
        """See `Effect.initial_state`."""
        return {
            "lines": np.zeros((2, ring_size(LONGEST * self.rate)), np.float32),
            "smear": np.zeros((2, 3, ring_size(0.031 * self.rate)), np.float32),
            "shifting": np.zeros((2, ring_size(HELD * self.rate)), np.float32),
            "heads": np.zeros((2, HEADS)),
            "ones": np.zeros(9),
        }

    def _shifts(self) -> bool:
        """Whether a turn changes the pitch; the numbers may be turned while it plays."""
        cents = [self.trajectory(f"pitch_{side}").reach() for side in SIDES]
        return self.trajectory("pitched").reach()[1] > 0.0 and cents != [(0.0, 0.0)] * 2

    def _samples(self, key: str, moments: Moments) -> Floats:
        """A side's time in samples at every tick ``[ticks + 1]``."""
        moved_time = self.trajectory(key)
        seconds = moved_time.compact(moments)[0]
        if moved_time.unit == "beats":
            # From the moment that lies so many beats back, whatever the tempo was since.
            times = moments.times
            beats = self._tempo.beats_at(times) - seconds
            seconds = times - self._tempo.seconds_at(beats)
        elif moved_time.unit == "hold":
            seconds = seconds * self.movement.setting.score.length
        found: Floats = np.clip(seconds, SHORTEST, LONGEST) * self.rate
        return found

    def _values(self, moments: Moments) -> Floats:
        """The values of `_run` at every tick ``[12, ticks + 1]``."""
        found = np.empty((len(FRACTIONS) + 4, len(moments.times)))
        found[: len(FRACTIONS)] = UNITS * self._moved.values(moments)
        found[2:4] = one_pole_at(found[2:4], self.rate)
        found[8], found[9] = (self._samples(key, moments) for key in SIDES)
        found[10:] = np.exp2(self._pitches.values(moments) / 1_200.0)
        return found

    def process_stereo(self, block: Block, signal: Signal, sidechain: Signal | None) -> None:
        """See `Effect.process_stereo`."""
        values = block.moments.for_all_notes(id(self), self._values)
        shifts = self._shifts()
        if not shifts and self.state["heads"].any():
            # What it holds would be heard when it is turned on again.
            self.state["heads"][:] = 0.0
            self.state["shifting"][:] = 0.0
        follow = 0.0
        if self.trajectory("ducking").reach()[1] > 0.0:
            follow = one_pole(1000.0 / (2.0 * math.pi * FOLLOW), self.rate)
        _run(
            signal,
            self.state["lines"],
            self.state["smear"],
            self.state["shifting"],
            self.state["ones"],
            block.span.first,
            float(self.rate),
            values,
            DIFFUSERS if self.trajectory("diffusion").reach()[1] > 0.0 else NO_DIFFUSERS,
            shifts,
            self.part.text("moving") == "tape",
            LAWS[self.part.text("law")],
            follow,
            SINCS,
            self.state["heads"],
            self._scratch,
            self._ends,
        )

    def tail(self) -> float:
        """See `Processor.tail`: echoes until they are 60 dB down; with full feedback, for ever."""
        slowest_side = max(self._longest(key) for key in SIDES)
        feedback = MOST_FEEDBACK * self.trajectory("feedback").reach()[1] / 100.0
        if feedback >= 1.0:
            return math.inf
        turns = 1.0 + (math.log(1e-3) / math.log(feedback) if feedback > 1e-3 else 0.0)
        smear = 0.4 if self.trajectory("diffusion").reach()[1] > 0.0 else 0.0
        slowest = 2.0 * math.pi * self.trajectory("low_cut").reach()[0]
        shifting = HELD if self._shifts() else 0.0
        return turns * (slowest_side + smear + shifting) + 6.9 / slowest

    def _longest(self, key: str) -> float:
        moved_time = self.trajectory(key)
        if moved_time.unit == "s":
            return moved_time.reach()[1]
        if moved_time.unit == "hold":
            return LONGEST
        slowest = min(rate for _, rate in self._tempo.changes)
        return min(LONGEST, moved_time.reach()[1] * 60.0 / slowest)
