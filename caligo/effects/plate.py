"""The plate: dense within a tenth of a second, bright and without walls.

Source: J. Dattorro, "Effect design, part 1: reverberator and other filters" (JAES 1997), figure 1:
four all-passes in a row, then two halves of a ring that feed each other, each of a swaying
all-pass, a line, a low-pass, an all-pass and a line; what is heard is gathered along both. The
numbers of its table 2 are from memory.
"""

from __future__ import annotations

import math

import numpy as np

from caligo.catalogue import Module, Moves, Parameter, Scale, register
from caligo.kernels import device, kernel
from caligo.movement.block import Block
from caligo.processing import shared
from caligo.processing.effect import Effect
from caligo.processing.processor import Signal, State
from caligo.signal.decibels import gain
from caligo.signal.delay_line import read_going, ring_size
from caligo.signal.diffuser import diffuse
from caligo.signal.one_tick import give_tick, take_tick
from caligo.signal.plate_ring import gather_along, go_round, softened
from caligo.signal.silence import DEAD
from caligo.signal.smoothing import one_pole_at
from caligo.signal.ticks import TICK

RATE = 29_761.0
"""The sample rate that the paper gives its lengths for."""
INPUTS = np.array([142, 107, 379, 277]) / RATE
INPUT_GAINS = np.array([0.75, 0.75, 0.625, 0.625])
EFFECT_LFO, LINES, ALL_PASSES, LAST = (
    np.array(pair) / RATE for pair in ((672, 908), (4453, 4217), (1800, 2656), (3720, 3163))
)
"""Seconds of the parts of either half, in the order in which they are passed."""
LFO_GAIN, RING_GAIN = 0.7, 0.5
OUTPUTS = np.array([[0.0053, 0.0121, 0.0223], [0.0059, 0.0113, 0.0241]])
"""Seconds of three more all-passes on either channel, which the paper does not have: what is
gathered is dense with them where seven taps alone are single echoes."""
OUTPUT_GAIN = 0.6
# Where each channel listens: half, part (0 the line, 1 the all-pass, 2 the last line), seconds,
# sign.
TAPS = np.array(
    [
        [(1, 0, 266, 1), (1, 0, 2974, 1), (1, 1, 1913, -1), (1, 2, 1996, 1),
         (0, 0, 1990, -1), (0, 1, 187, -1), (0, 2, 1066, -1)],
        [(0, 0, 353, 1), (0, 0, 3627, 1), (0, 1, 1228, -1), (0, 2, 2673, 1),
         (1, 0, 2111, -1), (1, 1, 335, -1), (1, 2, 121, -1)],
    ],
    dtype=np.float64,
)  # fmt: skip
TAPS[:, :, 2] /= RATE
EXCURSION = 12.0 / RATE
"""Seconds that the first all-passes sway by, at a movement of 100 %."""
PACES = np.array([0.71, 0.83])
"""Hertz at which either half sways."""
LARGEST = 2.0
LONGEST_PRE_DELAY = 0.5
WET_GAIN = 0.585
"""Makes pink noise come out as loud as it goes in."""
SOONER = 0.35
"""How much of what is lost within a half is not heard, see `_enters`."""
OPEN = 20_000.0
"""Hertz from which on damping takes nothing."""
LN10 = math.log(10.0)


@device
def _enters(seconds: float, decay: float) -> float:
    """The gain of what comes in at which the plate is as loud whatever its decay and size.

    What stays in a ring that loses energy evenly lasts, and is heard, for ``1 / x`` of a half of
    `seconds` with x the logarithm of the fraction that is lost in it; what is lost within a half is
    heard in part (`SOONER`, by measurement).
    """
    x = 6.0 * LN10 * seconds / decay
    return math.sqrt(x / (1.0 + SOONER * x))


@device
def _at(values: np.ndarray, k: int) -> float:
    """The value at a tick of what moves ``[ticks + 1]`` or stays ``[1]``."""
    return float(values[k] if len(values) > 1 else values[0])


@device
def _feed(
    tick: np.ndarray,
    pre: np.ndarray,
    inputs: np.ndarray,
    low: float,
    here: int,
    late: float,
    to_late: float,
    cut: float,
    enters: float,
    to_enters: float,
    lengths: np.ndarray,
    gains: np.ndarray,
    fed: np.ndarray,
) -> float:
    """Both sides of a tick through pre-delay, low cut and all-passes into `fed` ``[TICK]``.

    `lengths` are samples and `gains` what each all-pass gives back ``[4]``; the low cut's state is
    given back.
    """
    inside = here & (len(pre) - 1)
    for n in range(TICK):
        pre[inside + n] = np.float32(0.5) * (tick[0, n] + tick[1, n])
    read_going(pre, here, late, to_late, fed)
    for n in range(TICK):
        low += cut * (fed[n] - low)
        fed[n] = (enters + (to_enters - enters) * n / TICK) * (fed[n] - low)
    for d in range(len(lengths)):
        diffuse(fed, inputs[d], here, lengths[d], lengths[d], -gains[d])
    return low if abs(low) > DEAD else 0.0


@kernel(
    "f4[:, ::1], f4[::1], f4[:, ::1], f4[:, :, ::1], f4[:, :, ::1], f8[::1], f4[:, ::1], i8, "
    "f8, f8[::1], f8[::1], f8[:, ::1], f8[:, ::1], f8[:, :, ::1], f8[::1], f8[::1], f8[::1], "
    "f8[::1], f8[::1], f8[::1], f8[::1], f8[::1], f8[::1]",
    allocates=True,
)
def _run(
    signal: np.ndarray,
    pre: np.ndarray,
    inputs: np.ndarray,
    rings: np.ndarray,
    outputs: np.ndarray,
    ones: np.ndarray,
    back: np.ndarray,
    at: int,
    rate: float,
    input_seconds: np.ndarray,
    input_gains: np.ndarray,
    seconds: np.ndarray,
    output_seconds: np.ndarray,
    taps: np.ndarray,
    pre_delay: np.ndarray,
    low_cut: np.ndarray,
    damping: np.ndarray,
    size: np.ndarray,
    decay: np.ndarray,
    movement: np.ndarray,
    width: np.ndarray,
    wet: np.ndarray,
    direct: np.ndarray,
) -> None:
    """Let `signal` ``[2, samples]`` ring in the plate, in place; `at` is its first sample's index.

    Parameters
    ----------
    pre, inputs, rings, outputs
        Rings of the pre-delay ``[size]``, of the all-passes ``[4, size]``, of the parts of either
        half ``[2, 4, size]``, and of the all-passes that either channel is heard through
        ``[2, 3, size]``.
    ones
        The low-passes of the low cut and of either half ``[3]``; carried on.
    back
        What either half gives the other ``[2, TICK]``; carried on.
    input_seconds, input_gains, seconds, output_seconds
        Lengths and gains of the all-passes ``[4]``, and lengths of the parts of the halves
        ``[4 parts, 2 halves]``, at a size of 1, and of the last all-passes ``[2, 3]``.
    taps
        See `TAPS`.
    pre_delay, low_cut, damping
        Seconds and one-pole shares at every tick ``[ticks + 1]``, or ``[1]``.
    size, decay, movement, width, wet, direct
        Shares, seconds to fall by 60 dB, shares, and gains, at every tick ``[ticks + 1]``.
    """
    fed, half = np.empty(TICK, np.float32), np.empty(TICK, np.float32)
    held, heard = np.empty(TICK, np.float32), np.empty((2, TICK), np.float32)
    dry = np.empty((2, TICK), np.float32)
    lengths, gains = np.empty((2, 4, 2)), np.empty((2, 2, 2))
    kept, dark, ways = np.empty((2, 2)), np.empty(2), np.zeros(2)
    for i in range(len(seconds)):
        for h in range(2):
            ways[h] += seconds[i, h]
    mean = 0.5 * (ways[0] + ways[1])
    into = (input_seconds * rate).astype(np.int64)
    for k in range(len(wet) - 1):
        here = at + k * TICK
        take_tick(signal, k, dry)
        ones[0] = _feed(
            dry, pre, inputs, ones[0], here,
            1.0 + _at(pre_delay, k) * rate, 1.0 + _at(pre_delay, k + 1) * rate, _at(low_cut, k),
            _enters(mean * size[k], decay[k]), _enters(mean * size[k + 1], decay[k + 1]),
            into, input_gains, fed,
        )  # fmt: skip
        for end in range(2):
            s, now = size[k + end], (here + end * TICK) / rate
            dark[end] = _at(damping, k + end)
            for h in range(2):
                for part in range(4):
                    lengths[h, part, end] = seconds[part, h] * s * rate
                turn = math.sin(2.0 * math.pi * PACES[h] * now)
                lengths[h, 0, end] += EXCURSION * (1.0 + movement[k + end] * turn) * rate
                gains[h, 0, end] = softened(LFO_GAIN, seconds[0, h] * s, decay[k + end])
                gains[h, 1, end] = softened(-RING_GAIN, seconds[2, h] * s, decay[k + end])
                kept[h, end] = 10.0 ** (-3.0 * ways[h] * s / decay[k + end])
        for h in range(2):
            ones[1 + h] = go_round(
                fed, back[1 - h], rings[h], ones[1 + h], here, lengths[h], gains[h], kept[h],
                dark, half, held,
            )  # fmt: skip
        for h in range(2):
            # What a half gives is taken in a tick later, so it is read as much earlier.
            read_going(rings[h, 3], here, lengths[h, 3, 0] - TICK, lengths[h, 3, 1] - TICK, back[h])
        gather_along(rings, taps, here, size[k] * rate, size[k + 1] * rate, heard, held)
        for c in range(2):
            for d in range(output_seconds.shape[1]):
                length = int(output_seconds[c, d] * rate)
                diffuse(heard[c], outputs[c, d], here, length, length, OUTPUT_GAIN)
        for n in range(TICK):
            x = n / TICK
            spread = width[k] + (width[k + 1] - width[k]) * x
            middle = 0.5 * (heard[0, n] + heard[1, n])
            apart = 0.5 * (heard[0, n] - heard[1, n]) * spread
            loud = wet[k] + (wet[k + 1] - wet[k]) * x
            plain = direct[k] + (direct[k + 1] - direct[k]) * x
            dry[0, n] = plain * dry[0, n] + loud * (middle + apart)
            dry[1, n] = plain * dry[1, n] + loud * (middle - apart)
        give_tick(dry, signal, k)
    if not (math.isfinite(ones.sum()) and math.isfinite(back.sum())):
        pre[:] = 0.0
        inputs[:] = 0.0
        rings[:] = 0.0
        outputs[:] = 0.0
        ones[:] = 0.0
        back[:] = 0.0
        signal[:] = 0.0


@register(
    Module(
        family="effect",
        kind="plate",
        name="Plate",
        help="A sheet that rings: soon dense, bright, without walls or distance.",
        category="Space",
        parameters=(
            Parameter("decay", "Decay", "Time to fall by 60 dB (ISO 3382-1).", unit="s", low=0.3,
                      high=30.0, default=3.0, scale=Scale.LOGARITHMIC, moves=Moves.SHARED,
                      group="Plate"),
            shared.percent("size", "Size", "How large the sheet is: larger rings lower and slower.",
                         100.0, low=50.0, high=100.0 * LARGEST, group="Plate"),
            shared.milliseconds("pre_delay", "Pre-delay", "Wait before it answers.", 0.0, low=0.0,
                                high=LONGEST_PRE_DELAY * 1000.0, group="Plate"),
            shared.percent("movement", "Movement", "How far it sways, which smears its resonances.",
                         60.0, group="Plate"),
            shared.hertz("damping", "Damping", "Above this it falls faster.", 9_000.0, low=500.0,
                         group="Tone"),
            shared.hertz("low_cut", "Low cut", "What lies below stays out of it.", 90.0,
                         high=1_000.0, group="Tone"),
            shared.percent("width", "Width", "Stereo width of what it gives.", 100.0, high=150.0,
                         group="Output"),
            shared.level("level", "Level", "Of the plate, whatever its decay and size.", 0.0,
                         low=-36.0, high=24.0, group="Output"),
            shared.mix("Plate against the direct signal."),
        ),
    )
)  # fmt: skip
class Plate(Effect):
    """Four all-passes into a ring of two halves."""

    def initial_state(self) -> State:
        """See `Effect.initial_state`."""
        # Whole numbers of samples, which lose nothing, at a size of 1.
        lengths = np.stack([EFFECT_LFO, LINES, ALL_PASSES, LAST])
        self._seconds = np.round(lengths * self.rate) / self.rate
        longest = float(max(EFFECT_LFO.max(), LINES.max(), ALL_PASSES.max(), LAST.max())) * LARGEST
        return {
            "pre": np.zeros(ring_size(LONGEST_PRE_DELAY * self.rate + 2), np.float32),
            "inputs": np.zeros((4, ring_size(float(INPUTS.max()) * self.rate)), np.float32),
            "rings": np.zeros((2, 4, ring_size((longest + 0.01) * self.rate)), np.float32),
            "outputs": np.zeros((2, 3, ring_size(float(OUTPUTS.max()) * self.rate)), np.float32),
            "ones": np.zeros(3),
            "back": np.zeros((2, TICK), np.float32),
        }

    def process_stereo(self, block: Block, signal: Signal, sidechain: Signal | None) -> None:
        """See `Effect.process_stereo`."""
        moments, state = block.moments, self.state
        size, decay, movement, width, level, mix = (
            self.trajectory(key).values(moments)[0]
            for key in ("size", "decay", "movement", "width", "level", "mix")
        )
        low_cut, damping = (
            self.trajectory(key).compact(moments)[0] for key in ("low_cut", "damping")
        )
        _run(
            signal,
            state["pre"],
            state["inputs"],
            state["rings"],
            state["outputs"],
            state["ones"],
            state["back"],
            block.span.first * TICK,
            float(self.rate),
            INPUTS,
            INPUT_GAINS,
            self._seconds,
            OUTPUTS,
            TAPS,
            self.trajectory("pre_delay").compact(moments)[0] / 1000.0,
            one_pole_at(low_cut, self.rate),
            one_pole_at(damping / np.maximum(1.0 - (damping / OPEN) ** 2, 1e-3), self.rate),
            size / 100.0,
            decay,
            movement / 100.0,
            width / 100.0,
            self._loudness(block, float(decay.mean())) * gain(level) * mix / 100.0,
            1.0 - mix / 100.0,
        )

    def _loudness(self, block: Block, decay: float) -> float:
        """What makes it as loud as what comes in, also where little has been heard so far."""
        heard = max(0.05, block.heard)
        return WET_GAIN / math.sqrt(1.0 - math.pow(10.0, -6.0 * heard / decay))

    def tail(self) -> float:
        """See `Processor.tail`."""
        longest = self.trajectory("decay").reach()[1] * 1.1
        return longest + self.trajectory("pre_delay").reach()[1] / 1000.0 + 0.2
