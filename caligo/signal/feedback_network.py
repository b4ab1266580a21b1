"""A feedback delay network: sixteen lines that feed each other, a tick at a time.

Source: J.-M. Jot and A. Chaigne, "Digital delay networks for designing artificial
reverberators" (AES 1991): a line of d seconds has the gain 10^(-3 d / T60). The lines are mixed
by a Hadamard matrix, which loses no energy. Slow movement of the lines smears their resonances.

What has been read of the lines is ``[LINES, TICK]``.
"""

from __future__ import annotations

import math

import numpy as np

from caligo.signal.delay_line import read_row
from caligo.signal.exponential import exp2_of, sine_of_turns
from caligo.signal.kernel import kernel
from caligo.signal.silence import DEAD
from caligo.signal.ticks import TICK

LINES = 16
SWAY = 0.00035
"""Seconds that the lines sway: enough to smear their modes, too little for a pitch change."""
PACE, PACE_STEP = 0.17, 0.17
"""Hertz at which the first pair of lines swings into each other, and by how much each next is
quicker."""
TURN = 1.2
"""Radians of that swing."""
INSIDE = 0.35
"""Where lines are heard on their way, as a share of their length."""
DAMPED = 0.35
"""Decay at the damping corner as a share of that of the lows."""
OPEN = 20_000.0
"""Hertz at which the damping corner damps nothing."""
LEAST_CLOSED = 1e-3
"""The least share of an octave below `OPEN` at which lines are damped."""
PASS = -3.0 * math.log2(10.0)
"""Octaves of amplitude that are lost in the time of decay: 60 dB."""
LEAST_HEARD = 0.1
"""The least share of the energy that a pass of the lines is taken to make heard: a space that has
faded before it first answers stays soft."""


@kernel
def darken(held: np.ndarray, dark: np.ndarray, dull: np.ndarray) -> None:
    """The one-pole low-pass of every line over a tick, four abreast; `held` ``[LINES, TICK]``.

    The poles `dark` and `dull`, what they remember, are ``[LINES]``. Lows pass as they are.
    """
    light = np.float32(1.0) - dark
    for i in range(0, LINES, 4):
        a, b, c, d = dull[i], dull[i + 1], dull[i + 2], dull[i + 3]
        for n in range(TICK):
            a = light[i] * held[i, n] + dark[i] * a
            b = light[i + 1] * held[i + 1, n] + dark[i + 1] * b
            c = light[i + 2] * held[i + 2, n] + dark[i + 2] * c
            d = light[i + 3] * held[i + 3, n] + dark[i + 3] * d
            held[i, n] = a
            held[i + 1, n] = b
            held[i + 2, n] = c
            held[i + 3, n] = d
        dull[i], dull[i + 1], dull[i + 2], dull[i + 3] = a, b, c, d
    for i in range(LINES):
        if abs(dull[i]) < DEAD:
            dull[i] = 0.0


@kernel
def darken_moving(
    held: np.ndarray, dark: np.ndarray, to_dark: np.ndarray, dull: np.ndarray
) -> None:
    """The same while the damping moves: poles go over to others ``[LINES]``."""
    step = (to_dark - dark) / np.float32(TICK)
    for i in range(0, LINES, 4):
        a, b, c, d = dull[i], dull[i + 1], dull[i + 2], dull[i + 3]
        for n in range(TICK):
            x = np.float32(n)
            a += (np.float32(1.0) - dark[i] - x * step[i]) * (held[i, n] - a)
            b += (np.float32(1.0) - dark[i + 1] - x * step[i + 1]) * (held[i + 1, n] - b)
            c += (np.float32(1.0) - dark[i + 2] - x * step[i + 2]) * (held[i + 2, n] - c)
            d += (np.float32(1.0) - dark[i + 3] - x * step[i + 3]) * (held[i + 3, n] - d)
            held[i, n] = a
            held[i + 1, n] = b
            held[i + 2, n] = c
            held[i + 3, n] = d
        dull[i], dull[i + 1], dull[i + 2], dull[i + 3] = a, b, c, d
    for i in range(LINES):
        if abs(dull[i]) < DEAD:
            dull[i] = 0.0


@kernel
def lose(held: np.ndarray, gain: np.ndarray, to_gain: np.ndarray) -> None:
    """What all lines lose over a tick: gains ``[LINES]`` at both ends, `held` ``[LINES, TICK]``."""
    for i in range(LINES):
        g, step = gain[i], (to_gain[i] - gain[i]) / np.float32(TICK)
        for n in range(TICK):
            held[i, n] *= g + np.float32(n) * step


@kernel
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
) -> None:
    """Gain and pole of every line's loss into `gain` and `dark` ``[LINES]``.

    The gain brings the decay wanted (Jot and Chaigne 1991); at the damping corner the decay is
    `DAMPED` of it, by a low-pass |H|^2 = (1-p)^2 / (1 - 2 p cos w + p^2), solved for the pole p.
    In the last octave below `OPEN` the corner takes less and less, and there nothing. `inside`
    ``[LINES]`` receives the gain of what is still on its way, at `INSIDE`. Of a line that is frozen
    in part the loss is less; wholly, all of it loses nothing.
    """
    thawed, closed = 1.0 - freeze, min(1.0, math.log2(OPEN / damping))
    powers = np.empty(3 * LINES)
    for i in range(LINES):
        lost = PASS * seconds[i] * size / decay
        powers[i] = lost * thawed
        powers[LINES + i] = INSIDE * lost * thawed
        powers[2 * LINES + i] = lost * 2.0 * (1.0 / DAMPED - 1.0) * closed
    exp2_of(powers)
    c = math.cos(2.0 * math.pi * min(damping / rate, 0.49))
    for i in range(LINES):
        gain[i], inside[i] = powers[i], powers[LINES + i]
    for i in range(LINES):
        r2 = powers[2 * LINES + i]
        b = (1.0 - r2 * c) / (1.0 - r2)
        dark[i] = thawed * (b - math.sqrt(max(b * b - 1.0, 0.0)))
    if closed < LEAST_CLOSED:
        dark[:] = 0.0


@kernel
def entrance(gain: np.ndarray, inside: np.ndarray) -> float:
    """The gain of what comes in, at which as much comes in as the lines lose.

    Lines that lose the share ``1 - g^2`` of their energy with each pass hold as much energy as
    comes in if that is scaled by this share; they are heard at `INSIDE` and when they have lost it.
    So neither decay nor size changes how loud the space is, and as they move it does not pump. A
    frozen space loses nothing, and takes nothing in. `gain` and `inside` ``[LINES]`` are those of
    `losses`.
    """
    kept, heard = 0.0, 0.0
    for i in range(LINES):
        left, on_its_way = float(gain[i]), float(inside[i])
        kept += left * left / LINES
        heard += (left * left + on_its_way * on_its_way) / LINES
    return math.sqrt((1.0 - kept) / (0.5 * LINES * max(heard, LEAST_HEARD)))


@kernel
def swing(
    seconds: float, freeze: float, away: np.ndarray, cosine: np.ndarray, sine: np.ndarray
) -> None:
    """Where all that moves by itself is at a moment.

    `away` ``[LINES]`` receives the seconds by which the lines are longer, `cosine` and `sine`
    ``[LINES / 2]`` the turns by which pairs of lines go over into each other.
    """
    for i in range(LINES):
        away[i] = SWAY * (1.0 + sine_of_turns(seconds * (0.11 + 0.029 * i) + i * 0.618))
    scale, reach = math.sqrt(2.0 / LINES), TURN * (1.0 - freeze) / (2.0 * math.pi)
    for i in range(LINES // 2):
        swung = sine_of_turns(seconds * (PACE + PACE_STEP * i) + 0.382 * i)
        turn = 0.125 + reach * swung
        cosine[i] = scale * sine_of_turns(turn + 0.25)
        sine[i] = scale * sine_of_turns(turn)


@kernel
def mix_lines(
    lines: np.ndarray,
    cosine: np.ndarray,
    sine: np.ndarray,
    to_cosine: np.ndarray,
    to_sine: np.ndarray,
) -> None:
    """Mix `lines` ``[LINES, TICK]`` into each other in place; the matrix keeps the energy.

    It is a Hadamard matrix whose last step, which turns pairs of lines into each other by an
    eighth of a circle, slowly swings about that (after S. Schlecht and E. Habets, "Time-varying
    feedback matrices in feedback delay networks", JASA 2015): modes do not stay, not even low ones
    that the sway of the lines is too short for. Frozen it stands still. Turns are those of `swing`
    at the start and the end of the tick ``[LINES / 2]``.
    """
    half = 1
    while half < LINES // 2:
        for start in range(0, LINES, 2 * half):
            for i in range(start, start + half):
                for n in range(TICK):
                    a = lines[i, n]
                    b = lines[i + half, n]
                    lines[i, n] = a + b
                    lines[i + half, n] = a - b
        half *= 2
    for i in range(half):
        c, s = np.float32(cosine[i]), np.float32(sine[i])
        c_step = np.float32((to_cosine[i] - cosine[i]) / TICK)
        s_step = np.float32((to_sine[i] - sine[i]) / TICK)
        for n in range(TICK):
            x = np.float32(n)
            a, b = lines[i, n], lines[i + half, n]
            c_now, s_now = c + x * c_step, s + x * s_step
            lines[i, n] = c_now * a + s_now * b
            lines[i + half, n] = s_now * a - c_now * b


@kernel
def read_lines(
    lines: np.ndarray,
    at: int,
    rate: float,
    seconds: np.ndarray,
    size: float,
    to_size: float,
    freeze: float,
    to_freeze: float,
    away: np.ndarray,
    to_away: np.ndarray,
    held: np.ndarray,
) -> None:
    """Read all `lines` ``[LINES, size]`` over a tick, each swaying at a pace of its own.

    It goes into `held` ``[LINES, TICK]``; `seconds` are their lengths ``[LINES]``, `away` and
    `to_away` what they sway by, see `swing`. Frozen ones stand still at whole samples, so that
    nothing is lost between samples.
    """
    for i in range(LINES):
        length = seconds[i] * size * rate
        to_length = seconds[i] * to_size * rate
        begin = length + away[i] * rate
        end = to_length + to_away[i] * rate
        begin += freeze * (math.floor(length) - begin)
        end += to_freeze * (math.floor(to_length) - end)
        read_row(lines, i, at, begin, end, held)


@kernel
def gather(held: np.ndarray, wet: np.ndarray) -> None:
    """What is heard of the lines ``[LINES, TICK]`` on either side ``[2, TICK]``."""
    for n in range(TICK):
        wet[0, n] = held[0, n] - held[2, n] + held[4, n] - held[6, n]
        wet[0, n] += held[8, n] - held[10, n] + held[12, n] - held[14, n]
        wet[1, n] = held[1, n] - held[3, n] + held[5, n] - held[7, n]
        wet[1, n] += held[9, n] - held[11, n] + held[13, n] - held[15, n]


@kernel
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
    ring = lines.shape[1]
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
