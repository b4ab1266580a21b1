"""The comb: a short echo in a loop, tuned to the key."""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from caligo.catalogue import Module, Moves, Parameter, Scale, register
from caligo.document.sound import FilterPart
from caligo.movement.block import Block
from caligo.movement.movement import Movement
from caligo.processing.corner import (
    Floats,
    followed,
    key_follow_parameter,
    lowest_corner,
    mix_parameter,
    sides,
    spread_parameter,
)
from caligo.processing.filter import Filter, States
from caligo.processing.processor import Signal
from caligo.signal.delay_line import ring_size
from caligo.signal.smoothing import one_pole_at
from caligo.signal.state_variable import is_silent
from caligo.signal.ticks import TICK

LOWEST = 20.0
MOST_FEEDBACK = 0.995
SHORTEST = 3.0
"""Samples of the shortest echo: shorter ones cannot be read between samples."""


@njit(cache=True, nogil=True)
def _run(
    signal: np.ndarray,
    length: np.ndarray,
    feedback: np.ndarray,
    dark: np.ndarray,
    mix: np.ndarray,
    at: int,
    state: np.ndarray,
) -> None:
    """Filter `signal` ``[voices, 2, samples]`` in place; `at` is the index of its first sample.

    Parameters
    ----------
    length
        Samples of the echo of each side at every tick ``[voices, 2, ticks + 1]``.
    feedback, mix
        Shares at every tick ``[voices, ticks + 1]``.
    dark
        The loop's one-pole share at every tick ``[voices, ticks + 1]``.
    state
        The ring of each side, and the one-pole's last output ``[voices, 2, size + 1]``.
    """
    size = state.shape[2] - 1
    mask = size - 1
    for v in range(signal.shape[0]):
        for k in range(mix.shape[1] - 1):
            heard = signal[v, :, k * TICK : (k + 1) * TICK]
            quiet = is_silent(heard[0]) and is_silent(heard[1])
            if quiet and not state[v].any():
                continue
            f, f_step = feedback[v, k], (feedback[v, k + 1] - feedback[v, k]) / TICK
            s, s_step = dark[v, k], (dark[v, k + 1] - dark[v, k]) / TICK
            m, m_step = mix[v, k], (mix[v, k + 1] - mix[v, k]) / TICK
            largest = 0.0
            for c in range(2):
                away, end = length[v, c, k], length[v, c, k + 1]
                step = (end - away) / TICK
                line, low = state[v, c, :size], state[v, c, size]
                for n in range(TICK):
                    here = at + k * TICK + n
                    back = f + n * f_step
                    delay = away + n * step
                    whole = int(delay)
                    x = delay - whole
                    place = here - whole
                    # Third-order Lagrange between the samples around the place.
                    y0, y1 = line[(place + 1) & mask], line[place & mask]
                    y2, y3 = line[(place - 1) & mask], line[(place - 2) & mask]
                    p, q, r = x + 1.0, x - 1.0, x - 2.0
                    read = (q * r * (3.0 * p * y1 - x * y0) + x * p * (q * y3 - 3.0 * r * y2)) / 6.0
                    low += (s + n * s_step) * (read - low)
                    sum_ = heard[c, n] + back * low
                    line[here & mask] = sum_
                    largest = max(largest, abs(sum_))
                    # Noise keeps its level; the loop makes its power 1 / (1 - back^2) as much.
                    wet = sum_ * math.sqrt(1.0 - back * back)
                    heard[c, n] += (m + n * m_step) * (wet - heard[c, n])
                state[v, c, size] = low if abs(low) > 1e-20 else 0.0
            if not math.isfinite(largest):
                state[v] = 0.0
                heard[:] = 0.0


@register(
    Module(
        family="filter",
        kind="comb",
        name="Comb",
        help="A short echo in a loop: it rings at the tuned frequency and all its multiples.",
        category="Colour",
        parameters=(
            Parameter(
                "cutoff",
                "Tuned to",
                "Frequency at which it rings.",
                unit="Hz",
                low=LOWEST,
                high=8_000.0,
                default=261.6255653,
                scale=Scale.LOGARITHMIC,
                moves=Moves.PER_NOTE,
                group="Ringing",
                follows_key="key_follow",
            ),
            Parameter(
                "feedback",
                "Feedback",
                "How long it rings; below zero the even multiples are missing, an octave lower.",
                unit="%",
                low=-100.0,
                high=100.0,
                default=80.0,
                moves=Moves.PER_NOTE,
                group="Ringing",
            ),
            Parameter(
                "damping",
                "Damping",
                "Frequency above which each echo gets darker.",
                unit="Hz",
                low=500.0,
                high=20_000.0,
                default=9_000.0,
                scale=Scale.LOGARITHMIC,
                moves=Moves.PER_NOTE,
                group="Ringing",
            ),
            key_follow_parameter(100.0, "Ringing"),
            spread_parameter("Ringing"),
            mix_parameter(60.0, "Ringing"),
        ),
    )
)
class Comb(Filter):
    """A loop of one echo, its length made up for what its damping delays."""

    def __init__(self, part: FilterPart, address: str, movement: Movement, rate: int) -> None:
        super().__init__(part, address, movement, rate)
        keys = ("cutoff", "feedback", "damping", "key_follow", "spread", "mix")
        self._trajectories = {key: self.trajectory(key) for key in keys}
        self._longest = rate / LOWEST
        self.state_shape = (2, ring_size(self._longest) + 1)

    def process_streams(self, block: Block, signal: Signal, states: States) -> None:
        """See `Filter.process_streams`."""
        values = {key: course.values(block.moments) for key, course in self._trajectories.items()}
        tuned = sides(followed(values["cutoff"], values["key_follow"], block), values["spread"])
        dark = one_pole_at(values["damping"], self.rate)
        if dark.shape != values["damping"].shape:
            dark = np.broadcast_to(dark, values["damping"].shape)
        length = np.clip(self.rate / tuned - self._darkening(tuned, dark), SHORTEST, self._longest)
        _run(
            signal,
            length,
            MOST_FEEDBACK * values["feedback"] / 100.0,
            np.ascontiguousarray(dark),
            values["mix"] / 100.0,
            block.span.first * TICK,
            states,
        )

    def _darkening(self, tuned: Floats, dark: Floats) -> Floats:
        """Samples by which the damping delays the tuned frequency ``[voices, 2, ticks + 1]``.

        The phase of ``s / (1 - (1 - s) z^-1)`` over the frequency.
        """
        turn = 2.0 * np.pi * np.minimum(tuned / self.rate, 0.49)
        rest = 1.0 - dark[:, None]
        found: Floats = np.arctan2(rest * np.sin(turn), 1.0 - rest * np.cos(turn)) / turn
        return found

    def tail(self) -> float:
        """See `Processor.tail`: an echo for each turn of the loop."""
        own = self._trajectories
        lowest = max(LOWEST, lowest_corner(own["cutoff"], own["key_follow"], own["spread"]))
        back = MOST_FEEDBACK * max(abs(bound) for bound in own["feedback"].reach()) / 100.0
        return (1.0 + math.log(1e-4) / math.log(max(back, 1e-4))) / lowest
