"""A bank of sines: many partials with frequencies, levels and places of their own.

Phases are exact at every control tick; between two ticks a partial is a rotating phasor of
constant frequency, so that its phase never jumps.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.polynomial import Chebyshev, Polynomial

from caligo.kernels import CONTRACT, device, kernel
from caligo.movement.notes import Floats
from caligo.signal.ticks import TICK

CELL = 16
"""Control ticks between two states of the partials; levels and ratios go in lines between."""

HALF = np.float32(0.5)
QUARTER = np.float32(0.25)


def _of_parabola(u: Floats) -> Floats:
    """sin(2 pi x) / u, where u = x (1/2 - x); it is smooth in u, as cosines of roots are."""
    whole: Floats = np.cos(2.0 * math.pi * np.sqrt(0.0625 - u)) / u
    return whole


# By interpolation in Chebyshev's points, which is close to the best there is: the error of the
# sine is below 1e-9, that of single precision 2e-7.
C0, C1, C2, C3, C4 = (
    np.float32(c)
    for c in Chebyshev.interpolate(_of_parabola, 4, domain=[0.0, 0.0625])
    .convert(kind=Polynomial)
    .coef
)


@device(fastmath=CONTRACT)
def sine(x: np.float32) -> np.float32:
    """sin(2 pi x) for x in [-1/2, 1/2], without a branch, so that loops become vectors."""
    s = x * (HALF - abs(x))
    u = abs(s)
    return s * (C0 + u * (C1 + u * (C2 + u * (C3 + u * C4))))


@device(fastmath=CONTRACT)
def phasors(phase: np.ndarray, cosine: np.ndarray, sines: np.ndarray) -> None:
    """Cosines and sines of phases in cycles ``[partials]``."""
    for p in range(len(phase)):
        x = np.float32(phase[p] - np.floor(phase[p] + 0.5))
        sines[p] = sine(x)
        cosine[p] = sine(QUARTER - abs(x))


@device(fastmath={"reassoc", "contract", "nsz"})
def _tick(
    re: np.ndarray,
    im: np.ndarray,
    turn_re: np.ndarray,
    turn_im: np.ndarray,
    left: np.ndarray,
    right: np.ndarray,
    left_step: np.ndarray,
    right_step: np.ndarray,
    to_left: np.ndarray,
    to_right: np.ndarray,
    at: np.uint64,
) -> None:
    """Add a tick of rotating phasors ``[partials]`` to two outputs, from `at` on.

    Four samples are taken at a time: what a partial needs is then read once for all four.
    """
    many = np.uint64(len(re))
    for quarter in range(np.uint64(TICK // 4)):
        a = np.float32(0.0)
        b = np.float32(0.0)
        c = np.float32(0.0)
        d = np.float32(0.0)
        e = np.float32(0.0)
        f = np.float32(0.0)
        g = np.float32(0.0)
        h = np.float32(0.0)
        for p in range(many):
            x, y = turn_re[p], turn_im[p]
            r, i = re[p], im[p]
            gl, gr = left[p], right[p]
            dl, dr = left_step[p], right_step[p]
            a += gl * i
            b += gr * i
            gl += dl
            gr += dr
            r, i = r * x - i * y, r * y + i * x
            c += gl * i
            d += gr * i
            gl += dl
            gr += dr
            r, i = r * x - i * y, r * y + i * x
            e += gl * i
            f += gr * i
            gl += dl
            gr += dr
            r, i = r * x - i * y, r * y + i * x
            g += gl * i
            h += gr * i
            left[p] = gl + dl
            right[p] = gr + dr
            re[p] = r * x - i * y
            im[p] = r * y + i * x
        n = at + np.uint64(4) * quarter
        to_left[n] += a
        to_right[n] += b
        to_left[n + np.uint64(1)] += c
        to_right[n + np.uint64(1)] += d
        to_left[n + np.uint64(2)] += e
        to_right[n + np.uint64(2)] += f
        to_left[n + np.uint64(3)] += g
        to_right[n + np.uint64(3)] += h


@kernel("f8[::1], f8[:, ::1], f8[:, ::1]")
def travelled(step: np.ndarray, whole: np.ndarray, leaning: np.ndarray) -> None:
    """How far a partial gets within each cell, as sums over the cell's ticks.

    For a pitch in cycles per sample `step` ``[cells * CELL + 1]`` and a ratio going from r to r',
    the cycles passed at a tick are ``r * whole + (r' - r) * leaning``; both are written for every
    tick and the cell's end ``[cells, CELL + 1]``.
    """
    for c in range(whole.shape[0]):
        whole[c, 0] = 0.0
        leaning[c, 0] = 0.0
        for k in range(CELL):
            here, there = step[c * CELL + k], step[c * CELL + k + 1]
            whole[c, k + 1] = whole[c, k] + 0.5 * TICK * (here + there)
            leaning[c, k + 1] = leaning[c, k] + 0.5 * TICK * (
                here * (k / CELL) + there * ((k + 1) / CELL)
            )


@kernel("f8[::1], f8[:, ::1], f8[:, ::1], f8[:, ::1], f8[:, ::1]", allocates=True)
def advance_phases(
    phase: np.ndarray,
    ratio: np.ndarray,
    whole: np.ndarray,
    leaning: np.ndarray,
    passed: np.ndarray,
) -> None:
    """Carry phases ``[partials]`` over cells, whose ratios are ``[cells + 1, partials]``.

    `passed` receives those at each cell's start ``[cells, partials]``; it may be empty.
    """
    for c in range(whole.shape[0]):
        if passed.shape[0] > 0:
            passed[c] = phase
        for p in range(len(phase)):
            r = ratio[c, p]
            x = phase[p] + r * whole[c, CELL] + (ratio[c + 1, p] - r) * leaning[c, CELL]
            phase[p] = x - math.floor(x)


@kernel(
    "f8[:, ::1], f8[:, ::1], f8[:, ::1], f8[:, ::1], f4[:, ::1], f4[:, ::1], i8, f4[:, ::1]",
    allocates=True,
)
def add_sines(
    phase: np.ndarray,
    ratio: np.ndarray,
    whole: np.ndarray,
    leaning: np.ndarray,
    left: np.ndarray,
    right: np.ndarray,
    from_tick: int,
    out: np.ndarray,
) -> None:
    """Add a bank of sines to `out` ``[2, samples]``.

    Parameters
    ----------
    phase
        Cycles at each cell's start ``[cells, partials]``.
    ratio, left, right
        Ratios to the pitch and gains at the cells' borders ``[cells + 1, partials]``.
    whole, leaning
        See `travelled`.
    from_tick
        The tick of the first cell at which `out` begins.
    """
    cells, most = phase.shape
    ticks = out.shape[1] // TICK
    to_left, to_right = out[0], out[1]
    work = np.empty((12, most), np.float32)
    exact = np.empty((5, most))
    for c in range(cells):
        first = max(0, from_tick - c * CELL)
        last = min(CELL, from_tick + ticks - c * CELL)
        if first >= last:
            continue
        # What is heard is put side by side, so that the loops below run over plain rows.
        count = 0
        for p in range(most):
            a, b = left[c, p], right[c, p]
            a_end, b_end = left[c + 1, p], right[c + 1, p]
            if a != 0.0 or b != 0.0 or a_end != 0.0 or b_end != 0.0:
                exact[0, count] = phase[c, p]
                exact[1, count] = ratio[c, p]
                exact[2, count] = ratio[c + 1, p] - ratio[c, p]
                work[8, count] = a
                work[9, count] = b
                work[6, count] = (a_end - a) / np.float32(CELL * TICK)
                work[7, count] = (b_end - b) / np.float32(CELL * TICK)
                count += 1
        if count == 0:
            continue
        begin, base, change = exact[0, :count], exact[1, :count], exact[2, :count]
        here, there = exact[3, :count], exact[4, :count]
        re, im, turn_re, turn_im = (
            work[0, :count],
            work[1, :count],
            work[2, :count],
            work[3, :count],
        )
        gl, gr, gl_step, gr_step = (
            work[4, :count],
            work[5, :count],
            work[6, :count],
            work[7, :count],
        )
        gl_begin, gr_begin = work[8, :count], work[9, :count]
        for i in range(count):
            here[i] = begin[i] + base[i] * whole[c, first] + change[i] * leaning[c, first]
        for k in range(first, last):
            w, v = whole[c, k + 1], leaning[c, k + 1]
            x = np.float32(k * TICK)
            phasors(here, re, im)
            for i in range(count):
                there[i] = begin[i] + base[i] * w + change[i] * v
                here[i] = (there[i] - here[i]) * (1.0 / TICK)
            phasors(here, turn_re, turn_im)
            for i in range(count):
                here[i] = there[i]
                gl[i] = gl_begin[i] + x * gl_step[i]
                gr[i] = gr_begin[i] + x * gr_step[i]
            at = np.uint64((c * CELL + k - from_tick) * TICK)
            _tick(re, im, turn_re, turn_im, gl, gr, gl_step, gr_step, to_left, to_right, at)
