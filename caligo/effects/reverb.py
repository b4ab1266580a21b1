"""The reverb: sixteen delay lines that feed each other, dense and uncoloured at long decays.

Source: J.-M. Jot and A. Chaigne, "Digital delay networks for designing artificial
reverberators" (AES 1991): a line of d seconds has the gain 10^(-3 d / T60). The lines are mixed
by a Hadamard matrix, which loses no energy. Slow movement of the lines smears their resonances.
"""

from __future__ import annotations

import math
from functools import cache

import numpy as np
from numba import njit
from numpy.typing import NDArray

from caligo.catalogue import Module, Moves, Parameter, Scale, register
from caligo.effects.delay_line import between
from caligo.effects.effect import Effect, Memory
from caligo.movement.block import TICK, Span
from caligo.movement.chance import unit
from caligo.movement.routes import Frame

LINES = 16
DIFFUSERS = 4
SHORTEST, LONGEST = 0.031, 0.149
"""Seconds of the shortest and longest line at a size of 100 %."""
DIFFUSER_SECONDS = ((0.0041, 0.0067, 0.0103, 0.0149), (0.0043, 0.0071, 0.0097, 0.0157))
DIFFUSION = 0.65
SWAY = 0.00035
"""Seconds that the lines sway: enough to smear their modes, too little for a pitch change."""
LONGEST_PRE_DELAY = 0.5
DAMPED = 0.35
"""Decay at the damping corner as a share of that of the lows."""
WET_GAIN = 0.35


@cache
def line_seconds() -> NDArray[np.float64]:
    """Lengths of the lines at a size of 100 %: geometric, then shifted so none divides another."""
    even = SHORTEST * (LONGEST / SHORTEST) ** (np.arange(LINES) / (LINES - 1))
    shifts = np.array([unit(np.uint64(97), i) - 0.5 for i in range(LINES)])
    found: NDArray[np.float64] = even * (1.0 + 0.06 * shifts)
    return found


@njit(cache=True, nogil=True)
def _diffuse(signal: np.ndarray, line: np.ndarray, at: int, length: int) -> None:
    """One all-pass section (Schroeder 1962) over a tick: `signal` ``[TICK]`` in place.

    The section is longer than a tick, so the tick can be taken at once.
    """
    size = len(line)
    here = at & (size - 1)
    back = (at - length) & (size - 1)
    g = np.float32(DIFFUSION)
    to = line[here : here + TICK]
    if back + TICK <= size:
        old = line[back : back + TICK]
        for n in range(TICK):
            held = old[n]
            inner = signal[n] - g * held
            to[n] = inner
            signal[n] = held + g * inner
    else:
        for n in range(TICK):
            held = line[(back + n) & (size - 1)]
            inner = signal[n] - g * held
            to[n] = inner
            signal[n] = held + g * inner


@njit(cache=True, nogil=True)
def _read_line(line: np.ndarray, at: int, away: float, away_step: float, out: np.ndarray) -> None:
    """Read a moving line over a tick into `out` ``[TICK]``, between samples."""
    size = len(line)
    whole = int(away)
    start = (at - whole - 2) & (size - 1)
    f_start = np.float32(away - whole)
    f_step = np.float32(away_step)
    last = f_start + np.float32(TICK - 1) * f_step
    if 0.0 <= last < 1.0 and start + TICK + 3 <= size:
        # The usual case: the place between two samples moves, but stays between them.
        stretch = line[start : start + TICK + 3]
        for n in range(TICK):
            f = f_start + np.float32(n) * f_step
            out[n] = between(stretch[n + 3], stretch[n + 2], stretch[n + 1], stretch[n], f)
        return
    for n in range(TICK):
        x = f_start + np.float32(n) * f_step
        steps = math.floor(x)
        place = at + n - whole - int(steps)
        out[n] = between(
            line[(place + 1) & (size - 1)],
            line[place & (size - 1)],
            line[(place - 1) & (size - 1)],
            line[(place - 2) & (size - 1)],
            x - np.float32(steps),
        )


@njit(cache=True, nogil=True)
def _darken(held: np.ndarray, gain: np.ndarray, dark: np.ndarray, dull: np.ndarray) -> None:
    """The one-pole loss of every line over a tick, four lines abreast; `held` in place."""
    for i in range(0, LINES, 4):
        a, b, c, d = dull[i], dull[i + 1], dull[i + 2], dull[i + 3]
        for n in range(TICK):
            a = gain[i] * held[i, n] + dark[i] * a
            b = gain[i + 1] * held[i + 1, n] + dark[i + 1] * b
            c = gain[i + 2] * held[i + 2, n] + dark[i + 2] * c
            d = gain[i + 3] * held[i + 3, n] + dark[i + 3] * d
            held[i, n] = a
            held[i + 1, n] = b
            held[i + 2, n] = c
            held[i + 3, n] = d
        dull[i], dull[i + 1], dull[i + 2], dull[i + 3] = a, b, c, d


@njit(cache=True, nogil=True)
def _mix_lines(lines: np.ndarray) -> None:
    """The Hadamard matrix over `lines` ``[LINES, TICK]`` in place, scaled to keep the energy."""
    half = 1
    while half < LINES:
        for start in range(0, LINES, 2 * half):
            for i in range(start, start + half):
                for n in range(TICK):
                    a = lines[i, n]
                    b = lines[i + half, n]
                    lines[i, n] = a + b
                    lines[i + half, n] = a - b
        half *= 2
    scale = np.float32(1.0 / math.sqrt(LINES))
    for i in range(LINES):
        for n in range(TICK):
            lines[i, n] *= scale


@njit(cache=True, nogil=True)
def _loss(seconds: float, decay: float, damping: float, rate: float) -> tuple[float, float]:
    """Gain and pole of the one-pole low-pass that a line of so many seconds passes through.

    At low frequencies it brings the decay wanted (Jot and Chaigne 1991); at the damping corner
    the decay is `DAMPED` of it: |H|^2 = (1-p)^2 / (1 - 2 p cos w + p^2), solved for the pole p.
    """
    full = 10.0 ** (-3.0 * seconds / decay)
    ratio = 10.0 ** (-3.0 * seconds / decay * (1.0 / DAMPED - 1.0))
    c = math.cos(2.0 * math.pi * min(damping / rate, 0.49))
    r2 = ratio * ratio
    b = (1.0 - r2 * c) / (1.0 - r2)
    p = b - math.sqrt(max(b * b - 1.0, 0.0))
    return full * (1.0 - p), p


@njit(cache=True, nogil=True)
def _run(
    signal: np.ndarray,
    pre: np.ndarray,
    early: np.ndarray,
    lines: np.ndarray,
    dull: np.ndarray,
    thin: np.ndarray,
    first: int,
    rate: float,
    pre_delay: int,
    early_lengths: np.ndarray,
    lengths: np.ndarray,
    decay: np.ndarray,
    damping: np.ndarray,
    low_cut: float,
    width: np.ndarray,
    mix: np.ndarray,
) -> None:
    """Reverberate `signal` ``[2, samples]`` in place, a tick at a time.

    Parameters
    ----------
    pre, early, lines
        Delay lines as rings: ``[2, size]``, ``[2, DIFFUSERS, size]``, ``[LINES, size]``.
    dull, thin
        One-pole memories: damping of each line ``[LINES]``, low cut of each channel ``[2]``.
    decay, damping
        Seconds to fall by 60 dB, and the corner in Hz above which it falls faster, at every
        tick ``[ticks + 1]``.
    """
    pre_mask = pre.shape[1] - 1
    mask = lines.shape[1] - 1
    gain = np.empty(LINES, np.float32)
    dark = np.empty(LINES, np.float32)
    fed = np.empty((2, TICK), np.float32)
    wet = np.empty((2, TICK), np.float32)
    held = np.empty((LINES, TICK), np.float32)
    for k in range(len(decay) - 1):
        at = (first + k) * TICK
        for c in range(2):
            for n in range(TICK):
                pre[c, (at & pre_mask) + n] = signal[c, k * TICK + n]
        # Both sides at once: each sample waits for the one before, but not for the other side.
        left, right = thin[0], thin[1]
        for n in range(TICK):
            place = (at + n - pre_delay) & pre_mask
            x, y = pre[0, place], pre[1, place]
            left += low_cut * (x - left)
            right += low_cut * (y - right)
            fed[0, n], fed[1, n] = x - left, y - right
        thin[0], thin[1] = left, right
        for c in range(2):
            for d in range(DIFFUSERS):
                _diffuse(fed[c], early[c, d], at, early_lengths[c, d])
        if k == 0 or decay[k] != decay[k - 1] or damping[k] != damping[k - 1]:
            for i in range(LINES):
                loss = _loss(lengths[i] / rate, decay[k], damping[k], rate)
                gain[i], dark[i] = loss[0], loss[1]
        for i in range(LINES):
            pace = 0.11 + 0.029 * i
            turn = (first + k) * TICK / rate * pace + i * 0.618
            then = turn + TICK / rate * pace
            away = lengths[i] + SWAY * rate * (1.0 + math.sin(2.0 * math.pi * turn))
            end = lengths[i] + SWAY * rate * (1.0 + math.sin(2.0 * math.pi * then))
            _read_line(lines[i], at, away, (end - away) / TICK, held[i])
        _darken(held, gain, dark, dull)
        for n in range(TICK):
            wet[0, n] = held[0, n] - held[2, n] + held[4, n] - held[6, n]
            wet[0, n] += held[8, n] - held[10, n] + held[12, n] - held[14, n]
            wet[1, n] = held[1, n] - held[3, n] + held[5, n] - held[7, n]
            wet[1, n] += held[9, n] - held[11, n] + held[13, n] - held[15, n]
        _mix_lines(held)
        here = at & mask
        for i in range(LINES):
            for n in range(TICK):
                lines[i, here + n] = held[i, n] + fed[i % 2, n]
        for n in range(TICK):
            x = n / TICK
            spread = width[k] + (width[k + 1] - width[k]) * x
            share = mix[k] + (mix[k + 1] - mix[k]) * x
            middle = 0.5 * (wet[0, n] + wet[1, n])
            side = 0.5 * (wet[0, n] - wet[1, n]) * spread
            m = k * TICK + n
            signal[0, m] = signal[0, m] * (1.0 - share) + WET_GAIN * (middle + side) * share
            signal[1, m] = signal[1, m] * (1.0 - share) + WET_GAIN * (middle - side) * share
    if not math.isfinite(dull.sum()):
        lines[:] = 0.0
        dull[:] = 0.0
        early[:] = 0.0
        signal[:] = 0.0


@register(
    Module(
        family="effect",
        kind="reverb",
        name="Reverb",
        help="A large space that stays dense and even, up to a decay of half a minute.",
        parameters=(
            Parameter(
                "decay",
                "Decay",
                "Time to fall by 60 dB (ISO 3382-1).",
                unit="s",
                low=0.3,
                high=30.0,
                default=6.0,
                scale=Scale.LOGARITHMIC,
                moves=Moves.SHARED,
            ),
            Parameter(
                "size",
                "Size",
                "Distance of the walls.",
                unit="%",
                low=40.0,
                high=200.0,
                default=120.0,
            ),
            Parameter(
                "pre_delay",
                "Pre-delay",
                "Wait before the space answers.",
                unit="ms",
                high=LONGEST_PRE_DELAY * 1000,
                default=20.0,
            ),
            Parameter(
                "damping",
                "Damping",
                "Above this the space swallows sound faster.",
                unit="Hz",
                low=500.0,
                high=20_000.0,
                default=6_000.0,
                scale=Scale.LOGARITHMIC,
                moves=Moves.SHARED,
            ),
            Parameter(
                "low_cut",
                "Low cut",
                "What lies below stays out of the space.",
                unit="Hz",
                low=20.0,
                high=1_000.0,
                default=120.0,
                scale=Scale.LOGARITHMIC,
            ),
            Parameter(
                "width",
                "Width",
                "Stereo width of the space.",
                unit="%",
                high=150.0,
                default=100.0,
                moves=Moves.SHARED,
            ),
            Parameter(
                "mix",
                "Mix",
                "Space against the direct signal.",
                unit="%",
                high=100.0,
                default=100.0,
                moves=Moves.SHARED,
            ),
        ),
    )
)
class Reverb(Effect):
    """Two channels of diffusion into a feedback network of sixteen lines."""

    def _ring(self, seconds: float) -> int:
        return 1 << math.ceil(math.log2(seconds * self.rate + 2 * TICK))

    def silence(self) -> Memory:
        """See `Effect.silence`."""
        size = self.part.number("size") / 100.0
        longest = LONGEST * 1.03 * size + 2 * SWAY
        return {
            "pre": np.zeros((2, self._ring(LONGEST_PRE_DELAY)), np.float32),
            "early": np.zeros((2, DIFFUSERS, self._ring(0.016 * 2.0)), np.float32),
            "lines": np.zeros((LINES, self._ring(longest)), np.float32),
            "dull": np.zeros(LINES, np.float32),
            "thin": np.zeros(2),
        }

    def process(self, span: Span, frame: Frame, signal: NDArray[np.float32]) -> None:
        """See `Effect.process`."""
        keys = ("decay", "damping", "width", "mix")
        decay, damping, width, mix = (
            self.movement.track(f"{self.path}.{key}").values(frame)[0] for key in keys
        )
        size = self.part.number("size") / 100.0
        early = np.array(DIFFUSER_SECONDS) * min(size, 2.0) * self.rate
        memory = self.memory
        _run(
            signal,
            memory["pre"],
            memory["early"],
            memory["lines"],
            memory["dull"],
            memory["thin"],
            span.first,
            float(self.rate),
            int(self.part.number("pre_delay") / 1000.0 * self.rate),
            early.astype(np.int64),
            line_seconds() * size * self.rate,
            decay,
            damping,
            1.0 - math.exp(-2.0 * math.pi * self.part.number("low_cut") / self.rate),
            width / 100.0,
            mix / 100.0,
        )

    def fading(self) -> float:
        """See `Effect.fading`."""
        longest = self.movement.track(f"{self.path}.decay").reach()[1]
        return longest * 1.05 + self.part.number("pre_delay") / 1000.0 + 0.1
