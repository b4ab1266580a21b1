"""Saturation: soft, tape-like or hard, without folding, at matched loudness.

The bent wave is taken as the mean of the curve between two samples: its antiderivative's
difference over the samples' (J. Parker, V. Zavalishin, E. Le Bivic, "Reducing the aliasing of
nonlinear waveshaping using continuous-time convolution", DAFx 2016, eq. 5; from memory).
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from caligo.catalogue import Choice, Kind, Module, Parameter, register
from caligo.kernels import device, kernel
from caligo.movement.block import Block
from caligo.processing import shared
from caligo.processing.oversampled import (
    Numbers,
    Oversampled,
    driven_parameter,
    lead,
    mix_shaped,
    ramp,
    take_tick,
)
from caligo.processing.processor import State
from caligo.signal.arrays import copy
from caligo.signal.four_rows import ROWS
from caligo.signal.silence import DEAD
from caligo.signal.smoothing import one_pole
from caligo.signal.ticks import TICK

SOFT, TAPE, HARD = range(3)
CURVES = {"soft": SOFT, "tape": TAPE, "hard": HARD}
EMPHASIS = 3_000.0
"""Hz above which tape is driven harder, as its recording equalisation does (common practice)."""
LIFTED = 3.0
"""The factor by which it is lifted there, and lowered again afterwards."""


@device(allocates=True)
def _soft(driven: np.ndarray, made: np.ndarray, rest: np.ndarray, shaped: np.ndarray) -> None:
    """The mean of ``x / sqrt(1 + x^2)`` from each value to the next, made up for.

    Its antiderivative is the root, so the mean is ``(a + b) / (root a + root b)``.

    Parameters
    ----------
    driven
        ``[ROWS + 1, TICK]``, see `caligo.processing.oversampled.lead`.
    made, rest
        The gain behind the curve and what is taken away ahead of it: each at the first sample, and
        its step ``[2]``.
    shaped
        Receives it ``[ROWS, TICK]``.
    """
    roots = np.empty(TICK, np.float32)
    one, before = np.float32(1.0), driven[0]
    made_up, made_step, taken, taken_step = made[0], made[1], rest[0], rest[1]
    for n in range(TICK):
        roots[n] = np.sqrt(one + before[n] * before[n])
    for p in range(ROWS):
        x, y, out = driven[p], driven[p + 1], shaped[p]
        for n in range(TICK):
            at = np.float32(ROWS * n + p)
            root = np.sqrt(one + y[n] * y[n])
            mean = (x[n] + y[n]) / (roots[n] + root)
            out[n] = (made_up + at * made_step) * (mean - (taken + at * taken_step))
            roots[n] = root


@device
def _area(x: float) -> float:
    """The antiderivative of a wave that is cut off at 1."""
    return 0.5 * x * x if abs(x) <= 1.0 else abs(x) - 0.5


@device
def _hard(driven: np.ndarray, made: np.ndarray, rest: np.ndarray, shaped: np.ndarray) -> None:
    """The mean of a wave that is cut off at 1, as `_soft`."""
    made_up, made_step, taken, taken_step = made[0], made[1], rest[0], rest[1]
    for p in range(ROWS):
        x, y, out = driven[p], driven[p + 1], shaped[p]
        for n in range(TICK):
            at = np.float32(ROWS * n + p)
            a, b = float(x[n]), float(y[n])
            near = abs(b - a) < 1e-4
            mean = (_area(b) - _area(a)) / (1.0 if near else b - a)
            cut = np.float32(min(1.0, max(-1.0, 0.5 * (a + b))) if near else mean)
            out[n] = (made_up + at * made_step) * (cut - (taken + at * taken_step))


@device
def _curve(x: float, hard: bool) -> float:
    """The curve itself at one value."""
    return min(1.0, max(-1.0, x)) if hard else x / math.sqrt(1.0 + x * x)


@device
def _emphasize(x: np.ndarray, fraction: float, low: float) -> float:
    """Lift the highs of `x` ``[ROWS, samples]`` in place: ``low + LIFTED (x - low)``."""
    stays = 1.0 - fraction
    for n in range(x.shape[1]):
        for p in range(ROWS):
            low = stays * low + fraction * x[p, n]
            x[p, n] = low + LIFTED * (x[p, n] - low)
    return low


@device
def _restore(x: np.ndarray, fraction: float, low: float) -> float:
    """The inverse of `_emphasize`: its equation with the low-pass of what comes out, solved."""
    rest = (LIFTED - 1.0) * (1.0 - fraction)
    own, lows = 1.0 / (1.0 + rest), rest / (1.0 + rest)
    # One product a sample from low to low: what comes in is multiplied ahead.
    stays, taken = 1.0 - fraction + fraction * lows, fraction * own
    for n in range(x.shape[1]):
        for p in range(ROWS):
            given = x[p, n]
            x[p, n] = own * given + lows * low
            low = stays * low + taken * given
    return low


@device
def _made_up(factor: float, peak: float, hard: bool) -> float:
    """What brings a wave of a peak back to its level behind the curve."""
    return peak / _curve(factor * peak, hard)


@kernel("f4[:, ::1], f8[::1], f8[::1], f8[::1], f8[::1], i8, f8, f8[::1]", allocates=True)
def _run(
    rows: np.ndarray,
    peak: np.ndarray,
    drive: np.ndarray,
    offset: np.ndarray,
    mix: np.ndarray,
    curve: int,
    fraction: float,
    kept: np.ndarray,
) -> None:
    """Bend `rows` ``[ROWS, samples]`` in place.

    Parameters
    ----------
    peak, drive, offset, mix
        The peak of a wave that keeps its level, a factor, what is added ahead of the curve, and
        the fraction of the bent wave, at every tick ``[ticks + 1]``.
    fraction
        The one-pole coefficient of tape's emphasis.
    kept
        The last driven and direct values, the low-passes of the emphasis and of its inverse
        ``[4]``.
    """
    driven, shaped = np.empty((ROWS + 1, TICK), np.float32), np.empty((ROWS, TICK), np.float32)
    tick = np.empty((ROWS + 1, TICK), np.float32)
    factor, shift = np.empty(2, np.float32), np.empty(2, np.float32)
    made, rest = np.empty(2, np.float32), np.empty(2, np.float32)
    hard = curve == HARD
    for k in range(len(drive) - 1):
        take_tick(rows, k, kept[1], tick)
        kept[1] = tick[ROWS, TICK - 1]
        for p in range(1, ROWS + 1):
            copy(tick[p], driven[p])
        if curve == TAPE:
            kept[2] = _emphasize(driven[1:], fraction, kept[2])
        ramp(drive[k], drive[k + 1], factor)
        ramp(offset[k], offset[k + 1], shift)
        by, by_step, more, more_step = factor[0], factor[1], shift[0], shift[1]
        for p in range(ROWS):
            row = driven[p + 1]
            for n in range(TICK):
                at = np.float32(ROWS * n + p)
                row[n] = (by + at * by_step) * row[n] + (more + at * more_step)
        lead(driven, kept[0])
        kept[0] = driven[ROWS, TICK - 1]
        # What the curve makes of silence is taken away again.
        ramp(_curve(offset[k], hard), _curve(offset[k + 1], hard), rest)
        ramp(_made_up(drive[k], peak[k], hard), _made_up(drive[k + 1], peak[k + 1], hard), made)
        if hard:
            _hard(driven, made, rest, shaped)
        else:
            _soft(driven, made, rest, shaped)
        if curve == TAPE:
            kept[3] = _restore(shaped, fraction, kept[3])
        for i in range(2, 4):
            if abs(kept[i]) < DEAD:
                kept[i] = 0.0
        mix_shaped(tick, shaped, mix[k], mix[k + 1], rows, k)


@register(
    Module(
        family="effect",
        kind="saturation",
        name="Saturation",
        help="Rounds or cuts what is loud, which adds overtones; the loudness stays.",
        category="Grit",
        parameters=(
            Parameter(
                "curve",
                "Curve",
                "Soft rounds, tape rounds highs first, hard cuts off.",
                default="soft",
                kind=Kind.CHOICE,
                choices=(Choice("soft", "Soft"), Choice("tape", "Tape"), Choice("hard", "Hard")),
                group="Curve",
            ),
            shared.level(
                "drive",
                "Drive",
                "How hard the curve is driven.",
                6.0,
                low=-12.0,
                high=36.0,
                group="Curve",
            ),
            driven_parameter("Curve"),
            shared.percent(
                "bias",
                "Bias",
                "Bends one half more than the other, which adds even overtones.",
                0.0,
                low=-100.0,
                group="Curve",
            ),
            shared.mix("Bent against straight signal."),
        ),
    )
)
class Saturation(Oversampled):
    """One curve for both channels."""

    def shaper_state(self) -> State:
        """See `Oversampled.bent_state`."""
        return {"kept": np.zeros((2, 4))}

    def numbers(
        self, block: Block, peak: NDArray[np.float64], ahead: NDArray[np.float64]
    ) -> Numbers:
        """See `Oversampled.numbers`."""
        drive, bias, mix = (
            self.trajectory(key).values(block.moments)[0] for key in ("drive", "bias", "mix")
        )
        factor = 10.0 ** (drive / 20.0) * ahead
        return peak, factor, 0.8 * bias / 100.0, mix / 100.0

    def waveshape(self, numbers: Numbers, rows: NDArray[np.float32], channel: int) -> None:
        """See `Oversampled.bend`."""
        peak, drive, bias, mix = numbers
        _run(
            rows,
            peak,
            drive,
            bias,
            mix,
            CURVES[self.part.text("curve")],
            one_pole(EMPHASIS, ROWS * self.rate),
            self.state["kept"][channel],
        )
