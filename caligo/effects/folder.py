"""The folder: what is too loud is folded back, again and again.

The fold is a sine; its mean between two samples is known in closed form (see `saturation` for the
source of the method).
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from caligo.catalogue import Module, register
from caligo.kernels import device, kernel
from caligo.movement.block import Block
from caligo.processing import shared
from caligo.processing.oversampled import (
    SIZE,
    Numbers,
    Oversampled,
    driven_parameter,
    lead,
    mix_shaped,
    take_tick,
)
from caligo.processing.processor import State
from caligo.signal.arrays import copy
from caligo.signal.four_rows import ROWS
from caligo.signal.ticks import TICK

LOUDNESS = 0.72
"""The effective value that a folded wave has, whatever is folded how often, for a sine of the peak
1. A sine folded many times spreads evenly: its effective value is 0.7 of its peak."""


# Taylor's series of the sine up to a quarter of a turn: 6e-12 of error.
S3, S5, S7, S9 = -1.0 / 6.0, 1.0 / 120.0, -1.0 / 5040.0, 1.0 / 362880.0
S11, S13, S15 = -1.0 / 39916800.0, 1.0 / 6227020800.0, -1.0 / 1307674368000.0


@device(inline="always")
def _cosine(x: float) -> float:
    """A cosine made of nothing but products and sums, so that a loop becomes vector instructions.

    ``cos x = 1 - 2 sin^2(x / 2)``, the half taken within a quarter of a turn.
    """
    turn = x * (0.5 / math.pi)
    half = math.pi * (turn - math.floor(turn + 0.5))
    h = half * half
    high = S9 + h * (S11 + h * (S13 + h * S15))
    sine = half * (1.0 + h * (S3 + h * (S5 + h * (S7 + h * high))))
    return 1.0 - 2.0 * sine * sine


@device(allocates=True)
def _mean_sines(phase: np.ndarray, shaped: np.ndarray) -> None:
    """The mean of a sine from each phase to the next.

    `phase` is ``[ROWS + 1, samples]``, `shaped` ``[ROWS, samples]``. ``(cos a - cos b) / (b - a)``,
    and where both are nearly the same the sine between them.
    """
    cosines, later = np.empty(shaped.shape[1]), np.empty(shaped.shape[1])
    before = phase[0]
    for n in range(len(cosines)):
        cosines[n] = _cosine(before[n])
    for p in range(ROWS):
        x, y, out = phase[p], phase[p + 1], shaped[p]
        for n in range(len(cosines)):
            later[n] = _cosine(y[n])
        for n in range(len(cosines)):
            far = y[n] - x[n]
            near = abs(far) < 0.02
            mean = (cosines[n] - later[n]) / (1.0 if near else far)
            # sin x = cos(x - pi / 2)
            between = _cosine(0.5 * (x[n] + y[n]) - 0.5 * math.pi)
            out[n] = between * (1.0 - far * far / 24.0) if near else mean
        copy(later, cosines)


@device
def _made_up(turn: float, peak: float) -> float:
    """What makes a wave as loud as one of a peak, folded as little or as much as by `turn`."""
    return peak * LOUDNESS / (0.7 * math.sin(min(peak * turn, 0.5 * math.pi)))


@kernel("f4[:, ::1], f8[::1], f8[::1], f8[::1], f8[::1], f8[::1]", allocates=True)
def _run(
    rows: np.ndarray,
    peak: np.ndarray,
    folds: np.ndarray,
    lean: np.ndarray,
    mix: np.ndarray,
    kept: np.ndarray,
) -> None:
    """Fold `rows` ``[ROWS, samples]`` in place.

    `peak` is that of a wave that keeps its level, `folds` are radians for a wave at full scale,
    `lean` radians that are added, `mix` a fraction, at every tick ``[ticks + 1]``. `kept` are the
    last phase and direct value ``[2]``.
    """
    phase, shaped = np.empty((ROWS + 1, TICK)), np.empty((ROWS, TICK))
    tick = np.empty((ROWS + 1, TICK), np.float32)
    for k in range(len(folds) - 1):
        take_tick(rows, k, kept[1], tick)
        kept[1] = tick[ROWS, TICK - 1]
        turn, turn_step = folds[k], (folds[k + 1] - folds[k]) / SIZE
        shift, shift_step = lean[k], (lean[k + 1] - lean[k]) / SIZE
        for p in range(ROWS):
            wave, row = tick[p + 1], phase[p + 1]
            for n in range(TICK):
                at = float(ROWS * n + p)
                row[n] = (turn + at * turn_step) * wave[n] + shift + at * shift_step
        lead(phase, kept[0])
        kept[0] = phase[ROWS, TICK - 1]
        _mean_sines(phase, shaped)
        rest, rest_step = math.sin(shift), (math.sin(lean[k + 1]) - math.sin(shift)) / SIZE
        made = _made_up(turn, peak[k])
        made_step = (_made_up(folds[k + 1], peak[k + 1]) - made) / SIZE
        for p in range(ROWS):
            row = shaped[p]
            for n in range(TICK):
                at = float(ROWS * n + p)
                row[n] = (made + at * made_step) * (row[n] - rest - at * rest_step)
        mix_shaped(tick, shaped, mix[k], mix[k + 1], rows, k)


@register(
    Module(
        family="effect",
        kind="folder",
        name="Folder",
        help="Folds what is too loud back, so that a plain wave gets rich; the loudness stays.",
        category="Grit",
        parameters=(
            shared.level(
                "drive",
                "Drive",
                "How far the wave reaches into the folds.",
                12.0,
                low=0.0,
                high=36.0,
                group="Folds",
            ),
            driven_parameter("Folds"),
            shared.percent(
                "lean",
                "Lean",
                "Folds one half more than the other, which adds even overtones.",
                0.0,
                low=-100.0,
                group="Folds",
            ),
            shared.mix("Folded against straight signal."),
        ),
    )
)
class Folder(Oversampled):
    """A sine as the curve, for both channels."""

    def shaper_state(self) -> State:
        """See `Oversampled.bent_state`."""
        return {"kept": np.zeros((2, 2))}

    def numbers(
        self, block: Block, peak: NDArray[np.float64], ahead: NDArray[np.float64]
    ) -> Numbers:
        """See `Oversampled.numbers`."""
        drive, lean, mix = (
            self.trajectory(key).values(block.moments)[0] for key in ("drive", "lean", "mix")
        )
        factor = 0.5 * math.pi * 10.0 ** (drive / 20.0) * ahead
        return peak, factor, 0.25 * math.pi * lean / 100.0, mix / 100.0

    def waveshape(self, numbers: Numbers, rows: NDArray[np.float32], channel: int) -> None:
        """See `Oversampled.bend`."""
        peak, factor, lean, mix = numbers
        _run(rows, peak, factor, lean, mix, self.state["kept"][channel])
