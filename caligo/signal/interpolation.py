"""Interpolation between samples."""

from __future__ import annotations

import numpy as np

from caligo.kernels import device


@device
def lagrange(
    y0: np.float32, y1: np.float32, y2: np.float32, y3: np.float32, f: np.float32
) -> np.float32:
    """The value a fraction `f` of the way from `y1` to `y2`, by third-order Lagrange interpolation.

    A straight line would darken every echo a little, and a long reverb a lot.
    Source: T. Laakso et al., "Splitting the unit delay" (1996), eq. for N = 3; from memory.
    """
    p = f + np.float32(1.0)
    q = f - np.float32(1.0)
    r = f - np.float32(2.0)
    outer = f * p * (q * y3 - np.float32(3.0) * r * y2)
    inner = q * r * (np.float32(3.0) * p * y1 - f * y0)
    return (inner + outer) * np.float32(1.0 / 6.0)


@device(inline="always")
def lagrange_six(
    y0: np.float32, y1: np.float32, y2: np.float32, y3: np.float32, y4: np.float32,
    y5: np.float32, f: np.float32,
) -> np.float32:  # fmt: skip
    """The value a fraction `f` of the way from `y2` to `y3`, by fifth-order Lagrange interpolation.

    For what goes round hundreds of times: it takes a fifth of what the third order takes at 8 kHz.
    Same source, N = 5.
    """
    a, b = f + np.float32(2.0), f + np.float32(1.0)
    d, e, g = f - np.float32(1.0), f - np.float32(2.0), f - np.float32(3.0)
    left, right = e * g, a * b
    outer = left * (np.float32(5.0) * a * y1 - b * y0) + right * (e * y5 - np.float32(5.0) * g * y4)
    inner = left * right * (f * y3 - d * y2)
    return f * d * outer * np.float32(1.0 / 120.0) + inner * np.float32(1.0 / 12.0)
