"""Figures of what goes round in loops: echoes of the delay, strings of the resonators."""

from __future__ import annotations

import itertools
import math

import numpy as np
import scipy.signal

from tests.core.builders import RATE, decibels, heard_pitch, loudest_off
from tests.core.effects import effect, impulse, noise, sine, through
from tests.core.test_echoes import PLAIN, saw, seconds
from tests.figures.figure import Figure

RATES = (44_100, 48_000, 96_000)
KEYS = (33.0, 48.0, 53.3, 60.0, 69.0, 76.7, 96.0)
CENTS = (-1_200.0, -317.0, 700.0, 1_200.0, 1_901.0)
TURN = 1.1
"""Seconds of an echo."""
LATER = 0.05
"""Seconds that a turn through the pitch shifter takes besides, at most half of it."""


def _turns(note: np.ndarray, cents: float, rate: int, count: int) -> list[np.ndarray]:
    """0.6 s of the first echo, which is not shifted, and of the turns after it."""
    line = np.zeros((2, int((1.2 + (TURN + LATER) * (count + 1)) * rate) // 64 * 64), np.float32)
    line[:, : note.shape[1]] = note
    time = seconds(TURN)
    fx = effect("delay", rate=rate, left=time, right=time, pitch_left=cents, pitch_right=cents,
                pitched=100.0, **PLAIN | {"feedback": 100.0})  # fmt: skip
    heard = through(fx, line)[0]
    return [
        heard[int((0.2 + TURN + (TURN + LATER) * k) * rate) :][: int(0.6 * rate)]
        for k in range(count + 1)
    ]


def _all_turns() -> list[tuple[float, int, list[np.ndarray]]]:
    """Notes by intervals: the frequency after a turn, the rate, and the echoes."""
    found = []
    for rate, key, cents in itertools.product(RATES[:2], KEYS, CENTS):
        hertz = 440.0 * 2.0 ** ((key - 69.0) / 12.0)
        turns = _turns(saw(hertz, 1.0, rate), cents, rate, 1)
        found.append((hertz * 2.0 ** (cents / 1_200.0), rate, turns))
    return found


def cents_off() -> float:
    """Cents by which a note is off after a turn, as Praat hears it."""
    return max(
        1_200.0 * abs(math.log2(heard_pitch(turns[1], rate, 0.7 * hz, 1.4 * hz) / hz))
        for hz, rate, turns in _all_turns()
    )


def loss() -> float:
    """Decibels by which a turn changes the level."""
    return max(abs(float(decibels(t[1].std() / t[0].std()))) for _, _, t in _all_turns())


def lines() -> float:
    """The loudest line between a note's partials, under the loudest of them."""
    return max(
        loudest_off(t[1], rate, [k * hz for k in range(int(rate / hz))], 0.4 * rate)
        for hz, rate, t in _all_turns()
        if hz > 60.0
    )


def chord_lines() -> float:
    """The same of a chord of four notes, whose partials no splice has all in step."""
    keys, worst = (45, 52, 57, 61), -200.0
    hertz = [440.0 * 2.0 ** ((key - 69) / 12.0) for key in keys]
    chord = np.sum([0.4 * saw(hz, 1.0, RATE) for hz in hertz], axis=0)
    for cents in CENTS[2:4]:
        made = [k * hz * 2.0 ** (cents / 1_200.0) for hz in hertz for k in range(200)]
        worst = max(worst, loudest_off(_turns(chord, cents, RATE, 1)[1], RATE, made, 19_000.0))
    return worst


def highs() -> float:
    """Decibels that 16 kHz loses against 1 kHz where an echo lies between two samples."""
    worst = 0.0
    for rate, place, moving in itertools.product(RATES, (0.2, 0.5, 0.81), ("tape", "smooth")):
        time = seconds((9_000.0 + place) / rate)
        levels = []
        for hertz in (1_000.0, 16_000.0):
            fx = effect("delay", rate=rate, left=time, right=time, moving=moving, **PLAIN)
            levels.append(through(fx, sine(hertz, 0.5, 0.3, rate))[0, -8_192:].std())
        worst = max(worst, abs(float(decibels(levels[1] / levels[0]))))
    return worst


def first_echo() -> float:
    """Decibels by which the first echo of one signal on both sides changes as it crosses over."""
    burst = np.zeros((2, RATE), np.float32)
    burst[:, :4_800] = noise(0.1)[0, :4_800]
    worst = 0.0
    for crossing in (20.0, 50.0, 77.0, 100.0):
        time = seconds(0.4)
        fx = effect("delay", left=time, right=time, crossing=crossing, **PLAIN)
        heard = through(fx, burst)[:, int(0.39 * RATE) :]
        worst = max(worst, abs(float(decibels(heard.std() / burst.std() * 0.61**0.5))))
    return worst


def string_decay() -> float:
    """Per cent by which a string's decay is off, by Schroeder's integration around its pitch."""
    worst = 0.0
    for rate, hertz, damping in itertools.product(
        RATES, (98.0, 623.0, 1_760.0, 4_186.0), (1_000.0, 6_000.0, 20_000.0)
    ):
        root = min(hertz, 440.0)
        fx = effect("resonators", rate=rate, root=root, chord=[12.0 * math.log2(hertz / root)],
                    decay=8.0, damping=damping, spread=0.0, mix=100.0)  # fmt: skip
        heard = through(fx, impulse(7.0, rate))[0].astype(float)
        near = [hertz / 1.2, hertz * 1.2]
        band = scipy.signal.butter(2, near, "bandpass", fs=rate, output="sos")
        energy = np.cumsum(scipy.signal.sosfilt(band, heard)[::-1] ** 2)[::-1]
        curve = 10.0 * np.log10(energy / energy[0] + 1e-12)
        found = 3.0 * (np.argmax(curve < -25.0) - np.argmax(curve < -5.0)) / rate
        worst = max(worst, 100.0 * abs(found / 8.0 - 1.0))
    return worst


FIGURES = (
    Figure("echo-pitch", "Delay: an echo after a turn of its pitch, A1 to C7, off by", 2.0,
           "cents", cents_off),
    Figure("echo-loss", "Delay: a turn of its pitch changes the level by", 0.5, "dB", loss),
    Figure("echo-lines", "Delay: between the partials of a note after a turn of its pitch", -30.0,
           "dB", lines),
    Figure("echo-chord", "Delay: the same of a chord of four notes", -30.0, "dB", chord_lines),
    Figure("echo-highs", "Delay: 16 kHz between two samples, a turn", 0.5, "dB", highs),
    Figure("string-decay", "Resonators of 8 s, 98 Hz to 4,186 Hz: decay off", 10.0, "%",
           string_decay),
    Figure("echo-first", "Delay: the first echo as it crosses over, against without", 1.0, "dB",
           first_echo),
)  # fmt: skip
