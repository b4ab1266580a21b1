"""A feedback delay network: sixteen lines that feed each other, a tick at a time.

Source: J.-M. Jot and A. Chaigne, "Digital delay networks for designing artificial
reverberators" (AES 1991): a line of d seconds has the gain 10^(-3 d / T60). The lines are mixed
by a Hadamard matrix, which loses no energy. Slow movement of the lines smears their resonances.

What has been read of the lines is ``[LINES, TICK]``.
"""

from __future__ import annotations

import math

import numpy as np

from caligo.signal.delay_line import FOUR, ONE, THREE, TWO, read_row
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
    one = np.float32(1.0)
    for i in range(np.uint64(0), np.uint64(LINES), FOUR):
        j, k, m = i + ONE, i + TWO, i + THREE
        a, b, c, d = dull[i], dull[j], dull[k], dull[m]
        dark_a, dark_b, dark_c, dark_d = dark[i], dark[j], dark[k], dark[m]
        light_a, light_b, light_c, light_d = one - dark_a, one - dark_b, one - dark_c, one - dark_d
        for n in range(np.uint64(TICK)):
            a = light_a * held[i, n] + dark_a * a
            b = light_b * held[j, n] + dark_b * b
            c = light_c * held[k, n] + dark_c * c
            d = light_d * held[m, n] + dark_d * d
            held[i, n] = a
            held[j, n] = b
            held[k, n] = c
            held[m, n] = d
        dull[i], dull[j], dull[k], dull[m] = a, b, c, d
    for i in range(LINES):
        if abs(dull[i]) < DEAD:
            dull[i] = 0.0


@kernel
def write_lines(held: np.ndarray, at: int, lines: np.ndarray) -> None:
    """Write a tick ``[LINES, TICK]`` into the rings `lines` ``[LINES, size]`` from `at` on."""
    here, dead = np.uint64(at & (lines.shape[1] - 1)), np.float32(DEAD)
    for i in range(LINES):
        for n in range(np.uint64(TICK)):
            x = held[i, n]
            lines[i, here + n] = x if abs(x) > dead else np.float32(0.0)


@kernel
def darken_moving(
    held: np.ndarray, dark: np.ndarray, to_dark: np.ndarray, dull: np.ndarray
) -> None:
    """The same while the damping moves: poles go over to others ``[LINES]``."""
    step, one = (to_dark - dark) / np.float32(TICK), np.float32(1.0)
    for i in range(np.uint64(0), np.uint64(LINES), FOUR):
        j, k, m = i + ONE, i + TWO, i + THREE
        a, b, c, d = dull[i], dull[j], dull[k], dull[m]
        dark_a, dark_b, dark_c, dark_d = dark[i], dark[j], dark[k], dark[m]
        step_a, step_b, step_c, step_d = step[i], step[j], step[k], step[m]
        for n in range(np.uint64(TICK)):
            x = np.float32(np.int32(n))
            p, q = dark_a + x * step_a, dark_b + x * step_b
            r, s = dark_c + x * step_c, dark_d + x * step_d
            a = (one - p) * held[i, n] + p * a
            b = (one - q) * held[j, n] + q * b
            c = (one - r) * held[k, n] + r * c
            d = (one - s) * held[m, n] + s * d
            held[i, n] = a
            held[j, n] = b
            held[k, n] = c
            held[m, n] = d
        dull[i], dull[j], dull[k], dull[m] = a, b, c, d
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
