"""True peaks under the ceiling, what effects do to the level, and what a moved space leaves."""

from __future__ import annotations

from itertools import product

import numpy as np
import soxr

from caligo.document import read_sound
from caligo.document.held import held_chord
from caligo.engine.render.offline import render_array
from caligo.measure.true_peak import TruePeakMeter
from caligo.processing.limiter import Limiter
from demo.sounds import SOUNDS
from tests.core.builders import RATE, decibels, one_note
from tests.core.effects import effect, pink_noise, sine, through
from tests.core.test_effects import side_bands_of_moved
from tests.core.test_operators import operator, operators
from tests.figures.figure import Figure

LOUD = 63.0
"""36 decibels, as a factor."""


def sixteenfold(signal: np.ndarray, rate: int = RATE) -> float:
    """The true peak in dB of ``[2, samples]``, by sixteenfold resampling with `soxr`."""
    sides = (soxr.resample(x.astype(float), rate, 16 * rate, quality="VHQ") for x in signal)
    # Where the array is cut off there would be a peak that the limiter never had.
    return float(decibels(max(np.abs(side[16_000:-16_000]).max() for side in sides)))


def loud_signals() -> list[np.ndarray]:
    """Noise of random signs, steps, bursts and clicks, full scale ``[2, samples]``."""
    n, rng = np.arange(RATE), np.random.default_rng(5)
    found = [
        np.sign(rng.standard_normal(RATE)),
        np.repeat(rng.uniform(-1, 1, RATE // 37 + 1), 37)[:RATE],
        rng.standard_normal(RATE) * (n % 9_000 < 300),
        (n % 4_801 == 0) * 1.0,
        np.sign(np.sin(2 * np.pi * 110 * n / RATE)),
    ]
    return [np.stack([x, x[::-1]]) for x in found]


def over_the_ceiling() -> float:
    """Decibels by which anything passes a ceiling of -1 dB."""
    found = []
    for loud, signal in product((1.2, 4.0, LOUD), loud_signals()):
        out = (loud * signal).astype(np.float32)
        Limiter(-1.0, RATE).process(out)
        found.append(sixteenfold(out) + 1.0)
    for make in SOUNDS:
        chord = held_chord("C1 G1 C#4", 30.0)
        heard = render_array(read_sound(make()), chord, start=20.0, length=2.0, threads=2)
        heard = LOUD * heard[:, : heard.shape[1] // 64 * 64]
        Limiter(-1.0, RATE).process(heard)
        found.append(sixteenfold(heard) + 1.0)
    return max(found)


def meter_off() -> float:
    """Decibels by which the true-peak meter reads wrong on the same signals, unlimited.

    But for clicks of a sample each: what resamples rounds them off, and samples count as they are.
    """
    found = []
    for signal in (*loud_signals()[:3], loud_signals()[4]):
        inner, meter = signal.astype(np.float32), TruePeakMeter()
        # The same stretch that is resampled.
        meter.add(np.ascontiguousarray(inner[:, 1_000:-1_000]))
        found.append(abs(float(decibels(meter.peak)) - sixteenfold(inner)))
    return max(found)


def chorus_level() -> float:
    """Decibels by which pink noise through the chorus is off from the direct sound, at any mix."""
    given = pink_noise(12.0)
    heard = (through(effect("chorus", mix=mix), given)[:, RATE:] for mix in (25.0, 50.0, 100.0))
    return max(abs(float(decibels(x.std() / given[:, RATE:].std()))) for x in heard)


def chorus_dip() -> float:
    """By how many decibels a tone dips at most in a chorus at half mix, both sides together."""
    found = []
    for hertz in (311.0, 997.0, 2_503.0):
        heard = through(effect("chorus", mix=50.0), sine(hertz, 24.0, 0.3))[:, RATE:]
        cells = heard[:, : heard.shape[1] // 960 * 960].reshape(2, -1, 960).std(axis=(0, 2))
        found.append(float(decibels(np.median(cells) / cells.min())))
    return max(found)


def inserted() -> float:
    """By how many decibels a default effect of space or movement makes pink noise louder."""
    given, found = pink_noise(16.0), []
    for kind in ("reverb", "plate", "reflections", "delay", "chorus", "phaser", "flanger",
                 "ensemble"):  # fmt: skip
        heard = through(effect(kind), given)[:, 4 * RATE :]
        found.append(float(decibels(heard.std() / given[:, 4 * RATE :].std())))
    return max(found)


def key_scaling() -> float:
    """By how many decibels an operator grows for its key at most."""
    found = []
    for key in (72, 96, 127):
        plain, steep = (
            render_array(operators(operator(1, level=-30, key_scale=scale)), one_note(key, 1.0))
            for scale in (0, 18)
        )
        found.append(float(decibels(steep.std() / plain.std())))
    return max(found)


def reverb_moved() -> float:
    """The strongest side bands while decay or damping move fast."""
    return max(side_bands_of_moved("decay", 4.0), side_bands_of_moved("damping", 4_000.0))


def quick_flanger() -> float:
    """What lies beyond the side bands of a tone in a flanger of 17 Hz.

    A delay that sways by d seconds at f shifts the phase by 2 pi h d / 2: side bands lie f apart
    and reach as far as the Bessel functions of that index (Chowning 1973).
    """
    found, size = [], 2**17
    for hertz, depth in ((1_000.0, 3.0), (3_000.0, 1.0), (5_000.0, 3.0), (2_217.0, 7.3)):
        params = {"period": {"value": 1.0 / 17.0}, "depth": depth, "feedback": 0.0, "turn": 0.0}
        wave = through(effect("flanger", mix=100.0, **params), sine(hertz, 4.0, 0.3))[0]
        power = np.abs(np.fft.rfft(wave[24_000 : 24_000 + size] * np.blackman(size)))
        index = np.pi * hertz * depth / 1000.0
        reach = 17.0 * (index + 8.0 * np.cbrt(index) + 6.0) + 40.0
        at = np.arange(len(power)) * RATE / size
        far = (np.abs(at - hertz) > reach) & (at > 50.0)
        found.append(float(decibels(power[far].max() / power.max())))
    return max(found)


FIGURES = (
    Figure("ceiling", "Over the ceiling in true peak: signs, steps, bursts, demo sounds at +36 dB",
           0.0, "dB", over_the_ceiling),
    Figure("meter", "True-peak meter against sixteenfold resampling", 0.2, "dB", meter_off),
    Figure("chorus-level", "Noise in a chorus, off from the direct sound", 0.5, "dB", chorus_level),
    Figure("chorus-dip", "A tone dips in a chorus at half mix by", 12.0, "dB", chorus_dip),
    Figure("inserted", "An effect of space or movement as it is put in makes noise louder by",
           0.5, "dB", inserted),
    Figure("key-scaling", "An operator grows for its key by", 24.0, "dB", key_scaling),
    Figure("quick-flanger", "A flanger of 17 Hz: beyond the side bands of tones of 1 to 5 kHz",
           -60.0, "dB", quick_flanger),
    Figure("reverb-moved", "Side bands of a tone while decay or damping move fast", -80.0, "dB",
           reverb_moved),
)  # fmt: skip
