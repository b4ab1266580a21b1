"""A feedback delay network: sixteen lines that feed each other, a tick at a time.

Source: J.-M. Jot and A. Chaigne, "Digital delay networks for designing artificial
reverberators" (AES 1991): a line of d seconds has the gain 10^(-3 d / T60). The lines are mixed
by a Hadamard matrix, which loses no energy. Slow movement of the lines smears their resonances.

What has been read of the lines is ``[LINES, TICK]``.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from caligo.kernels import CONTRACT, TupleType, device
from caligo.signal.aligned import zeros
from caligo.signal.delay_line import FOUR, ONE, THREE, TWO
from caligo.signal.exponential import exp2, sine_of_turns
from caligo.signal.silence import DEAD
from caligo.signal.ticks import TICK
from caligo.signal.vector import WIDTH, load, load_lines, store, store_lines

LINES = 16
GROUPS = LINES // WIDTH
"""Vectors that hold a number of every line."""
APART = 80
"""Samples that nobody uses between the rings of two lines. Without them all would be written to
places that a processor's caches keep in the same few sets, and push each other out."""
SWAY = 0.00035
"""Seconds that the lines sway: enough to smear their modes, too little for a pitch change."""
PACE, PACE_STEP = 0.17, 0.17
"""Hertz at which the first pair of lines swings into each other, and by how much each next is
quicker."""
TURN = 1.2
"""Radians of that swing."""
INSIDE = 0.35
"""Where lines are heard on their way, as a fraction of their length."""
DAMPED = 0.35
"""Decay at the damping corner as a fraction of that of the lows."""
OPEN = 20_000.0
"""Hertz at which the damping corner damps nothing."""
LEAST_CLOSED = 1e-3
"""The least fraction of an octave below `OPEN` at which lines are damped."""
PASS = -3.0 * math.log2(10.0)
"""Octaves of amplitude that are lost in the time of decay: 60 dB."""
LEAST_HEARD = 0.1
"""The least fraction of the energy that a pass of the lines is taken to make heard: a space that
has faded before it first answers stays soft."""


class Scratch(NamedTuple):
    """Scratch memory for what happens in a tick, since kernels make no arrays.

    What comes in and goes out `dry`, what is `fed` to the lines and `heard` of them ``[2, TICK]``;
    what is `held` of all lines ``[LINES, TICK]``, and `turned` eight packed in vectors
    ``[GROUPS * TICK, WIDTH]``. At both ends of the tick: the lines' `gain`, that `inside` them and
    how far they are `away` ``[2, LINES]``, their poles `dark` ``[2 * GROUPS, WIDTH]``, and `cosine`
    and `sine` of their pairs ``[2, LINES / 2]``. `powers` ``[3 * LINES]`` are those of `losses`,
    `places` ``[3, LINES]`` those of `caligo.signal.line_reading`.
    """

    dry: np.ndarray
    fed: np.ndarray
    heard: np.ndarray
    held: np.ndarray
    turned: np.ndarray
    gain: np.ndarray
    inside: np.ndarray
    dark: np.ndarray
    away: np.ndarray
    cosine: np.ndarray
    sine: np.ndarray
    powers: np.ndarray
    places: np.ndarray


SCRATCH = TupleType(
    Scratch,
    "f4[:, ::1], f4[:, ::1], f4[:, ::1], f4[:, ::1], "
    "f4[:, ::1], f4[:, ::1], f4[:, ::1], f4[:, ::1], "
    "f8[:, ::1], f8[:, ::1], f8[:, ::1], f8[::1], f8[:, ::1]",
)


def scratch() -> Scratch:
    """Scratch memory for one network."""
    return Scratch(
        dry=zeros((2, TICK)),
        fed=zeros((2, TICK)),
        heard=zeros((2, TICK)),
        held=zeros((LINES, TICK)),
        turned=zeros((GROUPS * TICK, WIDTH)),
        gain=zeros((2, LINES)),
        inside=zeros((2, LINES)),
        dark=zeros((2 * GROUPS, WIDTH)),
        away=zeros((2, LINES), float),
        cosine=zeros((2, LINES // 2), float),
        sine=zeros((2, LINES // 2), float),
        powers=zeros((3 * LINES,), float),
        places=zeros((3, LINES), float),
    )


@device
def pass_on(ends: np.ndarray) -> None:
    """Let what stands at the end of a tick stand at the next one's start ``[2 * rows, ...]``."""
    rows = ends.shape[0] // 2
    for i in range(rows):
        for j in range(ends.shape[1]):
            ends[i, j] = ends[rows + i, j]


@device(fastmath=CONTRACT)
def darken(
    held: np.ndarray,
    dark: np.ndarray,
    dull: np.ndarray,
    at: int,
    lines: np.ndarray,
    turned: np.ndarray,
) -> None:
    """The one-pole low-pass of every line over a tick, from `held` ``[LINES, TICK]`` into `lines`.

    The poles `dark` stand at both ends of it ``[2 * GROUPS, WIDTH]``; `dull` is what they remember
    ``[GROUPS, WIDTH]``.
    Lows pass as they are. Eight lines go through one instruction, and two times eight at once:
    each sample waits for the one before. `lines` are the rings, `at` the first sample's index, and
    `turned` is room.
    """
    one = np.float32(1.0)
    for n in range(0, TICK, WIDTH):
        load_lines(held, 0, n, turned, n)
        load_lines(held, WIDTH, n, turned, TICK + n)
    fraction = np.float32(1.0 / TICK)
    begin, to_begin = load(dark, 0), load(dark, 1)
    step, to_step = fraction * (load(dark, 2) - begin), fraction * (load(dark, 3) - to_begin)
    a, b = load(dull, 0), load(dull, 1)
    for n in range(TICK):
        x = np.float32(n)
        p, q = begin + x * step, to_begin + x * to_step
        a = (one - p) * load(turned, n) + p * a
        b = (one - q) * load(turned, TICK + n) + q * b
        store(turned, n, a)
        store(turned, TICK + n, b)
    store(dull, 0, a)
    store(dull, 1, b)
    here = at & (lines.shape[1] - APART - 1)
    for n in range(0, TICK, WIDTH):
        store_lines(turned, n, lines, 0, here + n)
        store_lines(turned, TICK + n, lines, WIDTH, here + n)
    for g in range(GROUPS):
        for i in range(WIDTH):
            if abs(dull[g, i]) < DEAD:
                dull[g, i] = 0.0


@device(fastmath=CONTRACT)
def losses(
    seconds: np.ndarray,
    size: float,
    decay: float,
    damping: float,
    freeze: float,
    rate: float,
    gain: np.ndarray,
    dark: np.ndarray,
    inside: np.ndarray,
    powers: np.ndarray,
) -> None:
    """Gain and pole of every line's loss: `gain` ``[LINES]`` and `dark` ``[GROUPS, WIDTH]``.

    The gain brings the decay wanted (Jot and Chaigne 1991); at the damping corner the decay is
    `DAMPED` of it, by a low-pass |H|^2 = (1-p)^2 / (1 - 2 p cos w + p^2), solved for the pole p.
    In the last octave below `OPEN` the cutoff takes less and less, and there nothing. `inside`
    ``[LINES]`` receives the gain of what is still on its way, at `INSIDE`. Of a line that is frozen
    in part the loss is less; wholly, all of it loses nothing. `powers` ``[3 * LINES]`` is room.
    """
    thawed, closed = 1.0 - freeze, min(1.0, math.log2(OPEN / damping))
    for i in range(LINES):
        lost = PASS * seconds[i] * size / decay
        powers[i] = lost * thawed
        powers[LINES + i] = INSIDE * lost * thawed
        powers[2 * LINES + i] = lost * 2.0 * (1.0 / DAMPED - 1.0) * closed
    for i in range(3 * LINES):
        powers[i] = exp2(powers[i])
    c = math.cos(2.0 * math.pi * min(damping / rate, 0.49))
    for i in range(LINES):
        gain[i], inside[i] = powers[i], powers[LINES + i]
    for g in range(GROUPS):
        for i in range(WIDTH):
            r2 = powers[2 * LINES + g * WIDTH + i]
            b = (1.0 - r2 * c) / (1.0 - r2)
            dark[g, i] = thawed * (b - math.sqrt(max(b * b - 1.0, 0.0)))
    if closed < LEAST_CLOSED:
        dark[:] = 0.0


@device(fastmath=CONTRACT)
def entrance(gain: np.ndarray, inside: np.ndarray) -> float:
    """The gain of what comes in, at which as much comes in as the lines lose.

    Lines that lose the fraction ``1 - g^2`` of their energy with each pass hold as much energy as
    comes in if that is scaled by this fraction; they are heard at `INSIDE` and when they have lost
    it. So neither decay nor size changes how loud the space is, and as they move it does not pump.
    A frozen space loses nothing, and takes nothing in. `gain` and `inside` ``[LINES]`` are those of
    `losses`.
    """
    kept, heard = 0.0, 0.0
    for i in range(LINES):
        left, on_its_way = float(gain[i]), float(inside[i])
        kept += left * left / LINES
        heard += (left * left + on_its_way * on_its_way) / LINES
    return math.sqrt((1.0 - kept) / (0.5 * LINES * max(heard, LEAST_HEARD)))


@device(fastmath=CONTRACT)
def swing(
    seconds: float, freeze: float, away: np.ndarray, cosine: np.ndarray, sine: np.ndarray
) -> None:
    """Where all that moves by itself is at a moment.

    `away` ``[LINES]`` receives the seconds by which the lines are longer, `cosine` and `sine`
    ``[LINES / 2]`` the turns by which pairs of lines go over into each other.
    """
    for i in range(len(away)):
        away[i] = SWAY * (1.0 + sine_of_turns(seconds * (0.11 + 0.029 * i) + i * 0.618))
    scale, reach = math.sqrt(2.0 / LINES), TURN * (1.0 - freeze) / (2.0 * math.pi)
    for i in range(len(sine)):
        swung = sine_of_turns(seconds * (PACE + PACE_STEP * i) + 0.382 * i)
        sine[i] = 0.125 + reach * swung
    for i in range(len(sine)):
        cosine[i] = scale * sine_of_turns(sine[i] + 0.25)
    for i in range(len(sine)):
        sine[i] = scale * sine_of_turns(sine[i])


@device(fastmath=CONTRACT)
def lose_and_gather(
    held: np.ndarray, gain: np.ndarray, to_gain: np.ndarray, heard: np.ndarray
) -> None:
    """What all lines lose over a tick, what is then heard of them, and the first half of mixing.

    Gains ``[LINES]`` at both ends, `held` ``[LINES, TICK]``, `heard` on either channel ``[2,
    TICK]``. Two steps of a Hadamard matrix are taken at once, see `mix_lines`: each pass through
    all lines costs as much as what is done in it.
    """
    fraction = np.float32(1.0 / TICK)
    heard[:] = np.float32(0.0)
    for i in range(np.uint64(0), np.uint64(LINES), FOUR):
        j, k, m = i + ONE, i + TWO, i + THREE
        g, h, p, q = gain[i], gain[j], gain[k], gain[m]
        g_step, h_step = fraction * (to_gain[i] - g), fraction * (to_gain[j] - h)
        p_step, q_step = fraction * (to_gain[k] - p), fraction * (to_gain[m] - q)
        for n in range(np.uint64(TICK)):
            x = np.float32(np.int32(n))
            a, b = held[i, n] * (g + x * g_step), held[j, n] * (h + x * h_step)
            c, d = held[k, n] * (p + x * p_step), held[m, n] * (q + x * q_step)
            heard[0, n] += a - c
            heard[1, n] += b - d
            both, apart, other, beyond = a + b, a - b, c + d, c - d
            held[i, n] = both + other
            held[j, n] = apart + beyond
            held[k, n] = both - other
            held[m, n] = apart - beyond


@device(fastmath=CONTRACT)
def mix_lines(
    held: np.ndarray,
    cosine: np.ndarray,
    sine: np.ndarray,
    to_cosine: np.ndarray,
    to_sine: np.ndarray,
    fed: np.ndarray,
) -> None:
    """Mix lines `held` ``[LINES, TICK]`` into each other in place, and add what comes in.

    It is a Hadamard matrix, whose first two steps `lose_and_gather` has taken and whose last, which
    turns pairs of lines into each other by an eighth of a circle, slowly swings about that (after
    S. Schlecht and E. Habets, "Time-varying feedback matrices in feedback delay networks", JASA
    2015): modes do not stay, not even low ones that the sway of the lines is too short for. Frozen
    it stands still. It keeps the energy. Turns are those of `swing` at the start and the end of the
    tick ``[LINES / 2]``; `fed` is ``[2, TICK]``, for every other line each.
    """
    fraction, dead, none = np.float32(1.0 / TICK), np.float32(DEAD), np.float32(0.0)
    quarter = np.uint64(LINES // 4)
    for i in range(quarter):
        j, k, m, side = i + quarter, i + TWO * quarter, i + THREE * quarter, i & ONE
        c, s, r, t = (
            np.float32(cosine[i]), np.float32(sine[i]), np.float32(cosine[j]), np.float32(sine[j]),
        )  # fmt: skip
        c_step, s_step = (
            fraction * (np.float32(to_cosine[i]) - c),
            fraction * (np.float32(to_sine[i]) - s),
        )
        r_step, t_step = (
            fraction * (np.float32(to_cosine[j]) - r),
            fraction * (np.float32(to_sine[j]) - t),
        )
        for n in range(np.uint64(TICK)):
            x, new = np.float32(np.int32(n)), fed[side, n]
            a, b = held[i, n] + held[j, n], held[i, n] - held[j, n]
            d, e = held[k, n] + held[m, n], held[k, n] - held[m, n]
            c_now, s_now = c + x * c_step, s + x * s_step
            r_now, t_now = r + x * r_step, t + x * t_step
            first, third = c_now * a + s_now * d + new, s_now * a - c_now * d + new
            second, fourth = r_now * b + t_now * e + new, t_now * b - r_now * e + new
            held[i, n] = first if abs(first) > dead else none
            held[j, n] = second if abs(second) > dead else none
            held[k, n] = third if abs(third) > dead else none
            held[m, n] = fourth if abs(fourth) > dead else none


@device(fastmath=CONTRACT)
def gather_inside(
    lines: np.ndarray,
    at: int,
    rate: float,
    seconds: np.ndarray,
    size: float,
    to_size: float,
    gain: np.ndarray,
    to_gain: np.ndarray,
    heard: np.ndarray,
) -> None:
    """Add what is on its way in the lines ``[LINES, size]`` to what is heard ``[2, TICK]``.

    A tap at `INSIDE` of each length of `seconds` ``[LINES]``, with the gains of `losses`: the space
    answers sooner, and the first answers of its lines are twice as many.
    """
    ring = lines.shape[1] - APART
    for i in range(LINES):
        sign = 1.0 if (i // 4) % 2 else -1.0
        g, step = np.float32(sign * gain[i]), np.float32(sign * (to_gain[i] - gain[i]) / TICK)
        back = at - int(INSIDE * seconds[i] * size * rate)
        to_back = at - int(INSIDE * seconds[i] * to_size * rate)
        start = np.uint64(back & (ring - 1))
        if back == to_back and start + np.uint64(TICK) <= np.uint64(ring):
            for n in range(np.uint64(TICK)):
                heard[i % 2, n] += (g + np.float32(np.int32(n)) * step) * lines[i, start + n]
        else:
            for n in range(TICK):
                x, y = lines[i, (back + n) & (ring - 1)], lines[i, (to_back + n) & (ring - 1)]
                now = g + np.float32(n) * step
                heard[i % 2, n] += now * (x + np.float32(n / TICK) * (y - x))
