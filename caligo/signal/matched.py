"""Sections whose response is that of the analogue filter nearly up to half the sample rate.

The bilinear transform presses all frequencies up to infinity below half the rate, so that what lies
above a quarter of it cuts too steeply and rings too narrowly. Here poles are those of the analogue
filter by impulse invariance, and zeros match its magnitude at 0 Hz and at two more frequencies: M.
Vicanek, "Matched Second Order Digital Filters" (2016), from memory; the form of its squared
magnitude is his equation 26. Both become numbers of the state-variable filter (see
`caligo.signal.state_variable`), which stays calm while they move.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from caligo.kernels import device, kernel

Floats = NDArray[np.float64]

LOWPASS, HIGHPASS, BANDPASS, NOTCH, BELL, LOW_SHELF, HIGH_SHELF = range(7)
NUMBERS = 5
"""Numbers of a section: ``g``, ``d``, and the weights of input, band-pass and low-pass."""
HIGHEST = 0.49
"""Highest corner as a fraction of the sample rate."""
OTHER, OTHER_FALLS = 0.73 * math.pi, 0.3
"""Where else than at the corner a low corner is matched, in radians a sample (16 kHz at 44.1 kHz),
and how much lower that lies for each radian of the corner."""
PEAK = 1.06
"""Times the analogue filter's highest gain, which no section's passes."""
NARROW, WIDE = 0.08, 0.3
"""1 / Q of a shelf whose zeros are placed, as its poles are, and of one whose magnitude is matched;
between them they go over into each other."""
APART = 0.05
"""Radians a sample by which both lie apart at least: nearer ones would tell the same twice."""


@device
def _squared(n2: float, n1: float, n0: float, d: float, x: float) -> float:
    """The squared gain of ``(n2 s^2 + n1 s + n0) / (s^2 + d s + 1)`` at `x` times the corner."""
    over, under = n0 - n2 * x * x, 1.0 - x * x
    return (over * over + n1 * n1 * x * x) / (under * under + d * d * x * x)


@device
def _poles(turn: float, d: float) -> tuple[float, float, float]:
    """The denominator of ``s^2 + d s + 1`` by impulse invariance: its total, alternate and lean.

    Of ``p0 + p1 z^-1 + p2 z^-2`` these are p0 + p1 + p2, p0 - p1 + p2 and p0 - p2; `turn` is the
    corner in radians a sample.
    """
    q = 0.5 * d
    far = math.sqrt(abs(1.0 - q * q)) * turn
    if q <= 1.0:
        left = math.exp(-q * turn)
        across = 4.0 * left * math.sin(0.5 * far) ** 2
        return (1.0 - left) ** 2 + across, (1.0 + left) ** 2 - across, 1.0 - left * left
    slow, fast = math.exp(far - q * turn), math.exp(-far - q * turn)
    return (1.0 - slow) * (1.0 - fast), (1.0 + slow) * (1.0 + fast), 1.0 - slow * fast


@device
def _power(poles: tuple[float, float, float], p: float) -> float:
    """The squared magnitude of a polynomial in ``z^-1`` where ``p = sin^2(w / 2)``.

    ``B0 (1 - p) + B1 p + B2 4 p (1 - p)``, where B0 and B1 are the squares of total and alternate,
    and B2 is what the square of the lean has over that of their mean.
    """
    total, alternate, lean = poles
    middle = 0.5 * (total + alternate)
    ends = total * total * (1.0 - p) + alternate * alternate * p
    return ends + (lean * lean - middle * middle) * 4.0 * p * (1.0 - p)


@device
def _zeros(
    n2: float,
    n1: float,
    n0: float,
    d: float,
    turn: float,
    poles: tuple[float, float, float],
) -> tuple[float, float, float]:
    """The numerator that matches the analogue filter at 0 Hz, its corner and elsewhere."""
    other = OTHER - OTHER_FALLS * turn
    if abs(other - turn) < APART:
        other = turn + (APART if other > turn else -APART)
    p, q = math.sin(0.5 * turn) ** 2, math.sin(0.5 * other) ** 2
    r, s = 4.0 * p * (1.0 - p), 4.0 * q * (1.0 - q)
    total = n0 * poles[0]
    here = _squared(n2, n1, n0, d, 1.0) * _power(poles, p) - total * total * (1.0 - p)
    there = _squared(n2, n1, n0, d, other / turn) * _power(poles, q) - total * total * (1.0 - q)
    whole = p * s - r * q
    alternate = math.sqrt(max((here * s - r * there) / whole, 0.0))
    middle = 0.5 * (total + alternate)
    # The root with the sign of least phase: what is inverted stays stable.
    lean = math.sqrt(max(middle * middle + (p * there - q * here) / whole, 0.0))
    return total, alternate, lean


@device
def _transfer(
    shape: int, turn: float, d: float, a: float
) -> tuple[tuple[float, float, float], tuple[float, float, float]]:
    """Numerator and denominator of a section, as `_poles` gives them; see `sections_of`."""
    if shape >= BELL:
        # A boost has the lower poles, a cut is its inverse; a high shelf the other way round.
        inverse = a < 1.0
        boost = 1.0 / a if inverse else a
        n2, n1, n0, own = 1.0, d * boost, boost * boost, d
        if shape == BELL:
            n0, own = 1.0, d / boost
        else:
            turn /= math.sqrt(boost)
        if shape == HIGH_SHELF:
            inverse = not inverse
            n2, n1, n0 = 1.0 / (boost * boost), d / boost, 1.0
        under = _poles(turn, own)
        over = _zeros(n2, n1, n0, own, turn, under)
        if shape != BELL and d < WIDE:
            # A narrow shelf resonates where it ends, too: its zeros lie as exactly as its poles.
            end = _poles(min(turn * boost, 0.95 * math.pi), own)
            scale = n0 * under[0] / end[0]
            part = min((WIDE - d) / (WIDE - NARROW), 1.0)
            over = (
                over[0] + part * (scale * end[0] - over[0]),
                over[1] + part * (scale * end[1] - over[1]),
                over[2] + part * (scale * end[2] - over[2]),
            )
        return (under, over) if inverse else (over, under)
    under = _poles(turn, d)
    total = under[0]
    p = math.sin(0.5 * turn) ** 2
    if shape == LOWPASS:
        # A single zero, matched at 0 Hz and at the corner.
        rest = _power(under, p) / (d * d) - total * total * (1.0 - p)
        alternate = math.sqrt(max(rest / p, 0.0))
        return (total, alternate, 0.5 * (total + alternate)), under
    if shape == HIGHPASS:
        # Both zeros at 0 Hz, matched at the corner.
        return (0.0, math.sqrt(max(_power(under, p), 0.0)) / (d * p), 0.0), under
    if shape == NOTCH:
        # Zeros on the unit circle at the corner, matched at 0 Hz.
        return (total, total * (1.0 - p) / p, 0.0), under
    return _zeros(0.0, d, 0.0, d, turn, under), under


@kernel("i8, f8[:, ::1], f8[:, ::1], f8[:, ::1], f8[:, :, ::1]")
def _fill(shape: int, turn: np.ndarray, d: np.ndarray, a: np.ndarray, out: np.ndarray) -> None:
    """Numbers ``[NUMBERS, rows, ticks]`` of sections; what stays is not computed again."""
    for row in range(turn.shape[0]):
        for k in range(turn.shape[1]):
            if (
                k > 0
                and turn[row, k] == turn[row, k - 1]
                and d[row, k] == d[row, k - 1]
                and a[row, k] == a[row, k - 1]
            ):
                for i in range(NUMBERS):
                    out[i, row, k] = out[i, row, k - 1]
                continue
            over, under = _transfer(shape, turn[row, k], d[row, k], a[row, k])
            # The section's high-pass, band-pass and low-pass have the numerators (1 - z)^2,
            # g (1 - z^2) and g^2 (1 + z)^2 in z^-1 over (1 + d g + g^2) times the denominator.
            g = math.sqrt(under[0] / under[1])
            own = 2.0 * under[2] / (g * under[1])
            high = over[1] / under[1]
            out[0, row, k] = g
            out[1, row, k] = own
            out[2, row, k] = high
            out[3, row, k] = 2.0 * over[2] / (g * under[1]) - high * own
            out[4, row, k] = over[0] / under[0] - high


def sections_of(
    shape: int, hertz: Floats, damping: Floats, rate: int, gain: Floats | float = 1.0
) -> Floats:
    """Sections in numbers ``[NUMBERS, ..., ticks + 1]``: g, d, weights of input, band and low-pass.

    Parameters
    ----------
    shape
        `LOWPASS` and so on. As analogue filters: bell ``(s^2 + A d s + 1) / (s^2 + d s / A + 1)``,
        low shelf ``A (s^2 + sqrt(A) d s + A) / (A s^2 + sqrt(A) d s + 1)`` and its mirror (Audio EQ
        Cookbook); the band-pass has 0 dB at its peak.
    hertz, damping
        Corner and ``1 / Q`` at every tick ``[..., ticks + 1]``; a bell's Q is the cookbook's.
    gain
        A, the root of the factor at the peak of a bell or at a shelf, likewise.
    """
    turn = 2.0 * math.pi * np.minimum(hertz / rate, HIGHEST)
    shaped = np.broadcast_shapes(turn.shape, np.shape(damping), np.shape(gain))

    def rows(values: Floats | float) -> Floats:
        found = np.empty(shaped)
        found[...] = values
        return found.reshape(-1, shaped[-1])

    out = np.empty((NUMBERS, *shaped))
    _fill(shape, rows(turn), rows(damping), rows(gain), out.reshape(NUMBERS, -1, shaped[-1]))
    return out


@kernel("b1, f8[:, ::1], f8[:, :, ::1]")
def _fill_slopes(highpass: bool, turn: np.ndarray, out: np.ndarray) -> None:
    """Numbers ``[2, rows, ticks]`` of slopes of 6 dB: g, and the weight of the input."""
    for row in range(turn.shape[0]):
        for k in range(turn.shape[1]):
            if k > 0 and turn[row, k] == turn[row, k - 1]:
                out[0, row, k] = out[0, row, k - 1]
                out[1, row, k] = out[1, row, k - 1]
                continue
            w = turn[row, k]
            pole = math.exp(-w)
            out[0, row, k] = (1.0 - pole) / (1.0 + pole)
            p = math.sin(0.5 * w) ** 2
            if highpass:
                at = (1.0 - pole) ** 2 * (1.0 - p) + (1.0 + pole) ** 2 * p
                out[1, row, k] = math.sqrt(0.5 * at / p) / (1.0 + pole)
                continue
            q = math.sin(0.5 * OTHER) ** 2
            under0, under1 = (1.0 - pole) ** 2, (1.0 + pole) ** 2
            there = (under0 * (1.0 - q) + under1 * q) / (1.0 + (OTHER / w) ** 2)
            b1 = max((there - under0 * (1.0 - q)) / q, 0.0)
            out[1, row, k] = math.sqrt(b1) / (1.0 + pole)


def slopes_of(highpass: bool, hertz: Floats, rate: int) -> Floats:
    """Slopes of 6 dB in numbers ``[2, ..., ticks + 1]``: g, and the weight of the high-pass.

    A low-pass has its low-pass beside it at full weight, a high-pass nothing else. Matched at 0 Hz
    and at 16 kHz, or at the corner.
    """
    turn = 2.0 * math.pi * np.minimum(hertz / rate, HIGHEST)
    out = np.empty((2, *turn.shape))
    ends = turn.shape[-1]
    _fill_slopes(highpass, turn.reshape(-1, ends), out.reshape(2, -1, ends))
    return out
