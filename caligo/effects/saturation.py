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
from caligo.movement.block import Block
from caligo.processing import shared
from caligo.processing.oversampled import Numbers, Oversampled, mix_bent
from caligo.processing.processor import State
from caligo.signal.bend import FOURFOLD, REFERENCE
from caligo.signal.kernel import kernel
from caligo.signal.silence import DEAD
from caligo.signal.smoothing import one_pole
from caligo.signal.ticks import TICK

SOFT, TAPE, HARD = range(3)
CURVES = {"soft": SOFT, "tape": TAPE, "hard": HARD}
EMPHASIS = 3_000.0
"""Hz above which tape is driven harder, as its recording equalisation does (common practice)."""
LIFTED = 3.0
"""The factor by which it is lifted there, and lowered again afterwards."""


@kernel
def _soft(driven: np.ndarray, out: np.ndarray) -> None:
    """The mean of ``x / sqrt(1 + x^2)`` from each value to the next.

    Its antiderivative is the root, so the mean is ``(a + b) / (root a + root b)``. `driven` is
    ``[samples + 1]``, `out` ``[samples]``.
    """
    roots = np.empty(len(driven), np.float32)
    for n in range(len(driven)):
        roots[n] = np.sqrt(np.float32(1.0) + driven[n] * driven[n])
    after, roots_after = driven[1:], roots[1:]
    for n in range(len(out)):
        out[n] = (driven[n] + after[n]) / (roots[n] + roots_after[n])


@kernel
def _area(x: float) -> float:
    """The antiderivative of a wave that is cut off at 1."""
    return 0.5 * x * x if abs(x) <= 1.0 else abs(x) - 0.5


@kernel
def _hard(driven: np.ndarray, out: np.ndarray) -> None:
    """The mean of a wave that is cut off at 1, as `_soft`."""
    for n in range(len(out)):
        a, b = float(driven[n]), float(driven[n + 1])
        if abs(b - a) < 1e-4:
            out[n] = min(1.0, max(-1.0, 0.5 * (a + b)))
        else:
            out[n] = (_area(b) - _area(a)) / (b - a)


@kernel
def _curve(x: float, hard: bool) -> float:
    """The curve itself at one value."""
    return min(1.0, max(-1.0, x)) if hard else x / math.sqrt(1.0 + x * x)


@kernel
def _emphasize(x: np.ndarray, share: float, low: float) -> float:
    """Lift the highs of `x` ``[samples]`` in place: ``low + LIFTED (x - low)``."""
    for n in range(len(x)):
        low += share * (x[n] - low)
        x[n] = low + LIFTED * (x[n] - low)
    return low


@kernel
def _restore(x: np.ndarray, share: float, low: float) -> float:
    """The inverse of `_emphasize`: its equation with the low-pass of what comes out, solved."""
    rest = (LIFTED - 1.0) * (1.0 - share)
    for n in range(len(x)):
        x[n] = (x[n] + rest * low) / (1.0 + rest)
        low += share * (x[n] - low)
    return low


@kernel
def _made_up(factor: float, hard: bool) -> float:
    """What brings a wave of `REFERENCE` back to its level behind the curve."""
    return REFERENCE / _curve(factor * REFERENCE, hard)


@kernel
def _run(
    wave: np.ndarray,
    drive: np.ndarray,
    offset: np.ndarray,
    mix: np.ndarray,
    curve: int,
    share: float,
    kept: np.ndarray,
) -> None:
    """Bend `wave` ``[4 * samples]`` in place.

    Parameters
    ----------
    drive, offset, mix
        Factor, what is added ahead of the curve, and share, at every tick ``[ticks + 1]``.
    share
        The one-pole share of tape's emphasis.
    kept
        The last driven and direct values, the low-passes of the emphasis and of its inverse
        ``[4]``.
    """
    size = 4 * TICK
    driven, bent = np.empty(size + 1, np.float32), np.empty(size, np.float32)
    ahead = np.empty(size, np.float32)
    hard = curve == HARD
    for k in range(len(drive) - 1):
        tick = wave[k * size : (k + 1) * size]
        ahead[:] = tick
        if curve == TAPE:
            kept[2] = _emphasize(ahead, share, kept[2])
        factor, factor_step = drive[k], np.float32((drive[k + 1] - drive[k]) / size)
        shift, shift_step = offset[k], np.float32((offset[k + 1] - offset[k]) / size)
        first, lean = np.float32(factor), np.float32(shift)
        driven[0] = kept[0]
        onward = driven[1:]
        for n in range(size):
            x = np.float32(n)
            onward[n] = (first + x * factor_step) * ahead[n] + lean + x * shift_step
        kept[0] = driven[size]
        if hard:
            _hard(driven, bent)
        else:
            _soft(driven, bent)
        # What the curve makes of silence is taken away again.
        rest = _curve(shift, hard)
        rest_step = np.float32((_curve(offset[k + 1], hard) - rest) / size)
        made = _made_up(factor, hard)
        made_step = np.float32((_made_up(drive[k + 1], hard) - made) / size)
        made32, rest32 = np.float32(made), np.float32(rest)
        for n in range(size):
            x = np.float32(n)
            bent[n] = (made32 + x * made_step) * (bent[n] - rest32 - x * rest_step)
        if curve == TAPE:
            kept[3] = _restore(bent, share, kept[3])
        for i in range(2, 4):
            if abs(kept[i]) < DEAD:
                kept[i] = 0.0
        direct = kept[1]
        kept[1] = tick[size - 1]
        mix_bent(tick, direct, bent, mix[k], mix[k + 1])


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
                "How hard the curve is driven; a wave at -12 dB keeps its level.",
                6.0,
                low=-12.0,
                high=36.0,
                group="Curve",
            ),
            shared.share(
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
    """One curve for both sides."""

    def bent_state(self) -> State:
        """See `Oversampled.bent_state`."""
        return {"kept": np.zeros((2, 4))}

    def numbers(self, block: Block) -> Numbers:
        """See `Oversampled.numbers`."""
        drive, bias, mix = (
            self.trajectory(key).values(block.moments)[0] for key in ("drive", "bias", "mix")
        )
        return 10.0 ** (drive / 20.0), 0.8 * bias / 100.0, mix / 100.0

    def bend(self, numbers: Numbers, wave: NDArray[np.float32], side: int) -> None:
        """See `Oversampled.bend`."""
        drive, bias, mix = numbers
        _run(
            wave,
            drive,
            bias,
            mix,
            CURVES[self.part.text("curve")],
            one_pole(EMPHASIS, FOURFOLD * self.rate),
            self.state["kept"][side],
        )
